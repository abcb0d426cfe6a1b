// SPDX-License-Identifier: GPL-3.0-or-later
// Taking out flicker.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>

#include "app/drawers/drawer.h"
#include "app/picture/steady_area_tool.h"

namespace tsukimi::app {

class FlickerDrawer : public Drawer {
  Q_OBJECT
 public:
  FlickerDrawer(Session& session, QWidget* parent = nullptr);
  PictureTool* tool() override { return &tool_; }

 protected:
  void refresh() override;

 private:
  QComboBox* choice(const QString& name, const char* object, const QString& tip);
  QString statement() const;

  SteadyAreaTool tool_{session_.document};
  QCheckBox* on_;
  Ruler *period_, *limit_;
  QComboBox *uneven_, *colour_;
  QLabel *statement_, *area_, *summary_, *warning_;
  QPushButton *whole_, *worst_;
};

}  // namespace tsukimi::app
