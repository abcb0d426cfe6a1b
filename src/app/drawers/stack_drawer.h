// SPDX-License-Identifier: GPL-3.0-or-later
// What a frame of the film is made from: one shot, or the exposures of a moment together.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QTimer>

#include "app/drawers/drawer.h"

namespace tsukimi::app {

class StackDrawer : public Drawer {
  Q_OBJECT
 public:
  StackDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  void refresh_irregular();
  void refresh_shots();
  void refresh_aligned();
  void refresh_written();
  QString counted() const;

  QLabel *summary_, *irregular_heading_, *shots_heading_;
  QComboBox *size_, *frame_;
  QCheckBox* align_;
  Ruler* pause_;
  QTimer pause_rests_;
  QListWidget *irregular_, *shots_;
  QPushButton *before_, *after_, *aside_, *write_;
  QLabel* written_;
};

}  // namespace tsukimi::app
