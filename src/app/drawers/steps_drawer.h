// SPDX-License-Identifier: GPL-3.0-or-later
// Taking out the camera's exposure steps.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QListWidget>

#include "app/drawers/drawer.h"
#include "app/drawers/evening_view.h"

namespace tsukimi::app {

class StepsDrawer : public Drawer {
  Q_OBJECT
 public:
  StepsDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  void refresh_list();
  void refresh_choice();
  const LevelStep* chosen() const;  // the step whose line is chosen; nullptr: none

  QCheckBox *on_, *find_;
  Ruler *follow_, *by_hand_;
  QLabel *summary_, *warning_, *columns_, *this_step_;
  QListWidget* steps_;
  QComboBox* use_;
  EveningView* evening_;
  int chosen_at_ = -1;  // the frame of the chosen step
};

}  // namespace tsukimi::app
