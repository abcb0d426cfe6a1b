// SPDX-License-Identifier: GPL-3.0-or-later
// Taking out flicker: how much, where it is measured, and judging it by eye.
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
  void add_areas();
  void add_judging();
  void connect_settings();
  QString statement() const;
  QString in_the_way() const;  // what keeps flicker from being taken out; empty: nothing
  void refresh_areas();
  void refresh_event();
  void go_to(const QString& link);  // of the statement
  int event_here()
      const;  // the frame at the playhead, if something shines on a part of it; else -1

  SteadyAreaTool tool_{session_};
  QCheckBox *on_, *leave_out_, *map_;
  Ruler *period_, *limit_, *soften_;
  QComboBox *uneven_, *colour_, *shape_;
  QLabel *statement_, *warning_, *event_;
  QListWidget* areas_;
  QPushButton *remove_, *whole_, *beside_, *lens_;
};

}  // namespace tsukimi::app
