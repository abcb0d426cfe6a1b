// SPDX-License-Identifier: GPL-3.0-or-later
// How time runs in the film: its speed, what is shown between frames, how it begins and ends.
#pragma once

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/key_row.h"
#include "app/drawers/keyed_ruler.h"

namespace tsukimi::app {

class PaceDrawer : public Drawer {
  Q_OBJECT
 public:
  PaceDrawer(Session& session, QWidget* parent = nullptr);
  void open_page(int page);  // speed, between, ends

 protected:
  void refresh() override;
  void showEvent(QShowEvent* e) override;
  void hideEvent(QHideEvent*) override { session_.keys.set_target({}); }

 private:
  QVBoxLayout* add_page(const QString& name, const QString& shown);
  void add_speed_page();
  void add_between_page();
  void add_ends_page();
  Ruler* add_ruler(Ruler::Spec spec, double Pace::*value);
  QComboBox* add_choice(const char* name, const QString& title, const QStringList& words);
  void edit(const QString& text, const std::function<void(Pace&)>& change,
            const QString& gesture = {});
  void show_speed();
  void show_between();
  QString facts() const;
  const Pace& pace() const { return session_.document.decisions().pace; }

  QStackedWidget* pages_;
  std::vector<QToolButton*> tabs_;
  QComboBox *rate_, *faster_, *slower_, *gaps_, *fade_to_;
  KeyRow* keys_;
  KeyedRuler* speed_;
  QCheckBox *fits_, *along_;
  QDoubleSpinBox* length_;
  QLabel *facts_, *faster_words_, *slower_words_, *gaps_words_, *fit_words_;
  Ruler *blur_, *fade_in_, *fade_out_;
  QWidget* gaps_fields_;
  quint64 shown_runs_ = 0;  // of which version of the document
};

}  // namespace tsukimi::app
