// The drawers of the rail, in working order.
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QSpinBox>
#include <QStackedWidget>
#include <QToolButton>

#include "app/drawers/drawer.h"
#include "app/picture/crop_tool.h"
#include "app/picture/picture_view.h"
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
  QPushButton *key_, *previous_, *next_, *paste_, *propose_, *carry_;
  QCheckBox* whole_;
  QStackedWidget* pages_;
  std::vector<QToolButton*> tabs_, channels_;
  CurveView* curve_;
  RingView* ring_;
  QPushButton* air_;
  std::vector<std::pair<Param, Ruler*>> rulers_;
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

// Crop.
class FramingDrawer : public Drawer {
  Q_OBJECT
 public:
  FramingDrawer(Session& session, QWidget* parent = nullptr);
  PictureTool* tool() override { return &tool_; }

 protected:
  void refresh() override;

 private:
  CropTool tool_{session_.document};
  QComboBox* aspect_;
  QLabel* size_;
  Ruler* place_;
};

// Numbered frames.
class ExportDrawer : public Drawer {
  Q_OBJECT
 public:
  ExportDrawer(Session& session, QWidget* parent = nullptr);

 protected:
  void refresh() override;

 private:
  using Change = std::function<void(ExportSettings&)>;
  void set(const QString& text, const Change& change, const QString& gesture = {});
  QHBoxLayout* line();  // of fields beside each other
  template <typename Field>
  Field* field(const char* name, const QString& accessible_name, const QString& tip = {});
  // As it is typed, one step of undo for each time that the field is worked on.
  void follow(QLineEdit* field, const QString& text, std::string ExportSettings::*part);
  void add_files();
  void add_format();
  void add_size();
  void add_facts();
  void show_settings(const Shoot& shoot);
  void show_summary(const Shoot& shoot);
  void show_result();
  void choose_folder();
  void look_for_room(const std::string& folder);
  void start(bool overwrite);
  std::string room_of_;         // the folder whose disk was asked
  std::optional<double> room_;  // bytes free there, if it is known
  TaskPtr looking_;
  QLineEdit *folder_, *pattern_, *copyright_;
  int typing_ = 0;  // grows each time that a field is left
  QComboBox *format_, *chroma_, *compression_, *space_, *size_;
  QSpinBox *quality_, *first_number_, *width_, *height_, *long_edge_;
  QCheckBox *sidecars_, *location_;
  QLabel *names_, *pixels_, *summary_, *result_;
  QPushButton *export_, *replace_;
};

}  // namespace tsukimi::app
