// SPDX-License-Identifier: GPL-3.0-or-later
// All that is mended: spots, areas, dust that is found, hot pixels.
#pragma once

#include <QComboBox>
#include <QListWidget>
#include <QSpinBox>

#include "app/drawers/drawer.h"
#include "app/drawers/keyed_ruler.h"
#include "app/picture/repair_tool.h"

namespace tsukimi::app {

class RepairsDrawer : public Drawer {
  Q_OBJECT
 public:
  RepairsDrawer(Session& session, QWidget* parent = nullptr);
  PictureTool* tool() override { return &tool_; }

 protected:
  void refresh() override;

 private:
  void add_new();
  void add_area_fields();
  void add_spot_fields();
  void show_list();
  void show_chosen(const Repair* repair);
  void show_map();
  void show_hot_pixels();
  QString words_for(const Repair& repair) const;
  RepairWork& repairs() const { return session_.repairs; }

  RepairTool tool_;
  QPushButton *spot_, *area_, *dust_, *remove_;
  QListWidget* list_;
  QLabel *doing_, *about_, *map_, *hot_words_;
  QCheckBox *hidden_, *keyed_;
  QWidget* fields_;
  QComboBox* fill_;
  QSpinBox *first_, *last_, *fade_;
  Ruler* radius_;
  KeyedRuler* hot_;
  std::shared_ptr<const DustMap> shown_map_;
  quint64 shown_version_ = 0;
};

}  // namespace tsukimi::app
