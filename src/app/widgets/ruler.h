// SPDX-License-Identifier: GPL-3.0-or-later
// A number as a ruler: the scale slides under a fixed mark. Drag, wheel, type, double-click to
// reset; arrow keys when focused. Below it, for keyframed numbers, its run over the whole sequence.
#pragma once

#include <QImage>
#include <QLineEdit>
#include <QWidget>
#include <functional>
#include <vector>

#include "adjust/interpolate.h"

namespace tsukimi::app {

class Ruler : public QWidget {
  Q_OBJECT
 public:
  struct Spec {
    QString name, label, unit, tip;
    double min = 0, max = 1, preset = 0, step = 0.1;
    int decimals = 1;
  };
  // The course of the number over the frames, for the run; empty: no run is drawn.
  struct Course {
    std::vector<double> values;
    std::vector<std::pair<int, Easing>> keys;  // their frames, and how the number passes them
  };

  explicit Ruler(Spec spec, QWidget* parent = nullptr);
  void set_value(double value);  // shows it, without a signal
  double value() const { return value_; }
  void set_preset(double preset) { spec_.preset = preset; }
  void set_course(Course course);
  void set_playhead(int frame);  // in the run
  // A small picture beside the name, that says what the number does.
  static constexpr QSize kWedge{96, 10};
  void set_wedge(const QImage& wedge) { wedge_ = wedge, update(); }
  const QImage& wedge() const { return wedge_; }
  const Spec& spec() const { return spec_; }
  QSize sizeHint() const override;
  QRect run_rect() const;
  QRect scale_rect() const;
  int frame_at(int x) const;  // in the run

 signals:
  void edited(double value, int drag);                 // drag: the same number for one drag
  void frame_clicked(int frame);                       // in the run
  void menu_wanted(QPoint at);                         // on the screen
  void key_edited(int frame, double value, int drag);  // a disc in the run was dragged

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void focusInEvent(QFocusEvent*) override { update(); }
  void focusOutEvent(QFocusEvent*) override { update(); }

 private:
  QString format(double v) const;
  double units_per_pixel() const;
  void edit(double v);
  void type_value();
  QRect value_rect() const;
  double tick() const;
  double run_x(int frame) const;
  double run_y(double v) const;
  void paint_names(QPainter& p) const;
  void paint_scale(QPainter& p) const;
  void paint_number(QPainter& p, double x, double v) const;
  void paint_mark(QPainter& p) const;
  void paint_run(QPainter& p) const;

  Spec spec_;
  Course course_;
  double low_ = 0, high_ = 1;  // what the height of the run stands for
  bool has_run_ = false, flat_ = true;
  int playhead_ = 0;
  double value_ = 0;
  enum class Drag { none, scale, key } drag_ = Drag::none;
  int drag_serial_ = 0, drag_key_ = 0;
  int wheel_ = 0;  // eighths of a degree turned since the last notch
  QPointF drag_from_;
  double drag_value_ = 0;
  QLineEdit* editor_ = nullptr;
  QImage wedge_;
};

}  // namespace tsukimi::app
