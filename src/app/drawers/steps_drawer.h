// SPDX-License-Identifier: GPL-3.0-or-later
// Taking out the camera's exposure steps.
#pragma once

#include <QCheckBox>
#include <QListWidget>

#include "app/drawers/drawer.h"

namespace tsukimi::app {

class StepsDrawer : public Drawer {
  Q_OBJECT
 public:
  StepsDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  QCheckBox *on_, *find_;
  Ruler* follow_;
  QLabel *summary_, *warning_, *columns_;
  QListWidget* steps_;
};

}  // namespace tsukimi::app
