// SPDX-License-Identifier: GPL-3.0-or-later
// What a frame of the film is made from: one shot, the exposures of a moment together, or the light
// of all frames before it.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QStackedWidget>
#include <QTimer>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/trails_page.h"

namespace tsukimi::app {

class StackDrawer : public Drawer {
  Q_OBJECT
 public:
  StackDrawer(Session& session, QWidget* parent = nullptr);
  void open_page(int page);  // brackets, star trails

 protected:
  void refresh() override;
  void showEvent(QShowEvent* e) override;
  void hideEvent(QHideEvent*) override { session_.keys.set_target({}); }

 private:
  void add_brackets_page();
  void refresh_irregular();
  void refresh_shots();
  void refresh_aligned();
  void refresh_written();
  QString counted() const;

  QStackedWidget* pages_;
  std::vector<QToolButton*> tabs_;
  TrailsPage* trails_;
  QLabel *frame_words_, *summary_, *irregular_heading_, *shots_heading_;
  QComboBox *size_, *frame_;
  QCheckBox* align_;
  Ruler* pause_;
  QTimer pause_rests_;
  QListWidget *irregular_, *shots_;
  QPushButton *before_, *after_, *aside_, *write_;
  QLabel* written_;
};

}  // namespace tsukimi::app
