// SPDX-License-Identifier: GPL-3.0-or-later
// Parts of the picture with adjustments of their own: which places there are, their masks, and the
// values of the chosen one.
#pragma once

#include <QComboBox>
#include <QListWidget>
#include <QSpinBox>
#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/key_row.h"
#include "app/drawers/keyed_ruler.h"
#include "app/picture/place_tool.h"

namespace tsukimi::app {

class PlacesDrawer : public Drawer {
  Q_OBJECT
 public:
  PlacesDrawer(Session& session, QWidget* parent = nullptr);
  PictureTool* tool() override { return &tool_; }

 protected:
  void refresh() override;
  void showEvent(QShowEvent* e) override;
  void hideEvent(QHideEvent*) override { session_.places.set_working(false); }

 private:
  void add_list();
  void add_keys();
  void add_mask_page();
  void add_brush(QVBoxLayout* page);
  void add_ranges(QVBoxLayout* page);
  QVBoxLayout* add_page(const QString& name, const QString& shown);
  void add_rulers(QVBoxLayout* page, const char* name);
  void open_page(int page);
  void show_menu();
  void show_list();
  void show_mask();
  void show_values();
  PlaceWork& places() const { return session_.places; }

  PlaceTool tool_{session_.places};
  QListWidget *list_, *shapes_;
  KeyRow* keys_;
  QPushButton *more_, *remove_shape_;
  QLabel *none_, *drawing_;
  QWidget *body_, *brush_;
  QStackedWidget* pages_;
  std::vector<QToolButton*> tabs_;
  QComboBox* how_;
  QCheckBox *invert_, *follow_, *follow_stars_, *veil_, *erase_, *edges_;
  QSpinBox *tones_[3], *hues_[3];
  Ruler *radius_, *softness_, *flow_;
  std::vector<KeyedRuler*> rulers_;
  std::map<Ruler*, std::pair<quint64, int>> courses_;  // of which version and place they show
};

}  // namespace tsukimi::app
