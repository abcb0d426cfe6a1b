// SPDX-License-Identifier: GPL-3.0-or-later
// The look of the key frame under the playhead: every row of the parameter table as a ruler, on
// pages; curve and hue ring pick the point whose rulers are shown.
#pragma once

#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/key_row.h"
#include "app/drawers/keyed_ruler.h"
#include "app/picture/picture_view.h"

namespace tsukimi::app {

class CurveView;
class HistogramView;
class RingView;

class LookDrawer : public Drawer {
  Q_OBJECT
 public:
  LookDrawer(Session& session, Preview& preview, PictureView& picture, QWidget* parent = nullptr);
  void open_page(int page);

  // What opens in the drawer's place (panels.h).
  enum Panel { kPropose, kCarry, kLooks };

 signals:
  void panel_wanted(Panel panel);

 protected:
  void refresh() override;

 private:
  QVBoxLayout* add_page(const QString& name, const QString& shown);
  void fill_page(const char* page);
  void add_ruler(QBoxLayout* page, Param p, const QString& label = {});
  void add_air(QVBoxLayout* page);
  void add_ring(QVBoxLayout* page);
  void add_curves(QVBoxLayout* page);
  void add_histogram(QVBoxLayout* page);
  void show_menu(Param id, QPoint at);
  void mark_tabs();  // of pages with values that differ from their presets
  void show_wedge(Ruler* ruler, Param id);
  void show_picked();  // rulers of the picked points

  Preview& preview_;
  PictureView& picture_;
  QLabel* where_;
  KeyRow* keys_;
  QPushButton *paste_, *propose_, *carry_;
  QCheckBox* whole_;
  QStackedWidget* pages_;
  std::vector<QToolButton*> tabs_, channels_;
  CurveView* curve_;
  RingView* ring_;
  QPushButton* air_;
  std::vector<std::pair<Param, KeyedRuler*>> rulers_;
  std::map<Ruler*, double> wedges_;    // of which value they show the wedge
  std::map<Ruler*, quint64> courses_;  // of which version of the document they show the course
};

}  // namespace tsukimi::app
