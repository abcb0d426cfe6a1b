// SPDX-License-Identifier: GPL-3.0-or-later
// Crop and straightening, the glide, steadying: a page each.
#pragma once

#include <QButtonGroup>
#include <QComboBox>
#include <QRadioButton>
#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/key_row.h"
#include "app/drawers/keyed_ruler.h"
#include "app/drawers/speed_view.h"
#include "app/picture/crop_tool.h"

namespace tsukimi::app {

class FramingDrawer : public Drawer {
  Q_OBJECT
 public:
  FramingDrawer(Session& session, QWidget* parent = nullptr);
  PictureTool* tool() override { return &tool_; }
  void open_page(int page);  // crop, glide, steady

 protected:
  void refresh() override;
  void showEvent(QShowEvent* e) override;
  void hideEvent(QHideEvent*) override { session_.framing.set_working(false); }

 private:
  QVBoxLayout* add_page(const QString& name, const QString& shown);
  void add_crop_page();
  void add_glide_page();
  void add_steady_page();
  void set_number();
  void show_crop();
  void show_glide();
  void show_steady();
  void show_hold();
  QString measured_words() const;
  QString stars_words() const;
  FramingWork& framing() const { return session_.framing; }

  CropTool tool_{session_.framing, session_.document, session_.playhead};
  QStackedWidget* pages_;
  std::vector<QToolButton*> tabs_;
  QComboBox *aspect_, *guides_;
  QSpinBox* numbers_[4];  // left, top, width, height in pixels
  Ruler *straighten_, *period_;
  KeyedRuler* hold_;
  QWidget* rock_;           // what is of no use while the stars are held
  quint64 shown_hold_ = 0;  // of which version of the document
  KeyRow* keys_;
  QPushButton *line_, *propose_, *end_, *area_, *no_areas_;
  QLabel *left_, *warning_, *cost_, *measured_, *misfit_;
  QCheckBox* rest_;
  QWidget* glide_fields_;
  std::vector<KeyedRuler*> rulers_;
  SpeedView* speed_;
  QButtonGroup* steadying_;
  quint64 shown_runs_ = 0;  // of which version of the document
  quint64 typed_ = 0;
};

}  // namespace tsukimi::app
