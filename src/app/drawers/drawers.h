// The drawers of the rail, in working order.
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QSpinBox>
#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/drawers/export_pages.h"
#include "app/drawers/framing_drawer.h"
#include "app/drawers/key_row.h"
#include "app/drawers/keyed_ruler.h"
#include "app/drawers/pace_drawer.h"
#include "app/picture/picture_view.h"
#include "app/picture/place_tool.h"
#include "app/picture/repair_tool.h"
#include "app/picture/steady_area_tool.h"

namespace tsukimi::app {

class CurveView;
class HistogramView;
class RingView;

// What is in the folder, and what is odd about it.
class SequenceDrawer : public Drawer {
  Q_OBJECT
 public:
  SequenceDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  void refresh_facts();
  void refresh_suspects();
  void refresh_aside();
  void refresh_events();
  QLabel *facts_, *suspects_heading_, *aside_words_, *order_words_, *notes_;
  QListWidget *suspects_, *events_;
  QPushButton *previous_, *next_, *aside_, *keep_;
  QComboBox *policy_, *order_;
  QCheckBox* watch_;
};

// The look of the key frame under the playhead: every row of the parameter table as a ruler, on
// pages; curve and hue ring pick the point whose rulers are shown.
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
  void add_ruler(QVBoxLayout* page, Param p);
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

// Taking out the camera's exposure steps.
class StepsDrawer : public Drawer {
  Q_OBJECT
 public:
  StepsDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  QCheckBox* on_;
  Ruler* follow_;
  QLabel *summary_, *warning_;
  QListWidget* steps_;
};

// Taking out flicker.
class FlickerDrawer : public Drawer {
  Q_OBJECT
 public:
  FlickerDrawer(Session& session, QWidget* parent = nullptr);
  PictureTool* tool() override { return &tool_; }

 protected:
  void refresh() override;

 private:
  SteadyAreaTool tool_{session_.document};
  QCheckBox* on_;
  Ruler *period_, *limit_;
  QLabel *area_, *summary_, *warning_;
  QPushButton *whole_, *worst_;
};

// Parts of the picture with adjustments of their own: which places there are, their masks, and the
// values of the chosen one.
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
  QCheckBox *invert_, *follow_, *veil_, *erase_, *edges_;
  QSpinBox *tones_[3], *hues_[3];
  Ruler *radius_, *softness_, *flow_;
  std::vector<KeyedRuler*> rulers_;
  std::map<Ruler*, std::pair<quint64, int>> courses_;  // of which version and place they show
};

// All that is mended: spots, areas, dust that is found, hot pixels.
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

// Numbered frames.
class ExportDrawer : public Drawer {
  Q_OBJECT
 public:
  ExportDrawer(Session& session, QWidget* parent = nullptr);
  void show_made();  // the page of what is made first

 signals:
  void queue_wanted();
  void saved_wanted();

 protected:
  void refresh() override;

 private:
  void add_end();
  void open_page(int page);  // 0: frames, else a film
  void add_film();
  void show_tabs(const Shoot& shoot);
  void show_summary(const Shoot& shoot);
  QString room_words(const Shoot& shoot, const ExportJob& job);
  void show_result();
  void look_for_room(const std::string& folder);
  void weigh_gifs(const Shoot& shoot, const ExportJob& job);
  void start(bool overwrite);
  std::string room_of_;         // the folder whose disk was asked
  std::optional<double> room_;  // bytes free there, if it is known
  quint64 weighed_ = 0;         // the version of all decisions for which GIFs were weighed
  double gif_bytes_ = -1;       // of all of them; below 0: not known
  TaskPtr weighing_;
  TaskPtr looking_;
  int page_ = 0;
  QHBoxLayout* tabs_row_;
  std::vector<QToolButton*> tabs_;
  QToolButton* another_;
  QStackedWidget* pages_;
  FramesPage* frames_;
  FilmPage* film_;
  QLabel *summary_, *result_;
  QPushButton *export_, *replace_, *fill_, *queue_;
};

}  // namespace tsukimi::app
