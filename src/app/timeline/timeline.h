// Time: one playhead through the lanes of light, camera and marks. Wheel zooms, drag selects a
// range.
#pragma once

#include <QWidget>
#include <optional>

#include "app/state/session.h"

namespace tsukimi::app {

class Timeline : public QWidget {
  Q_OBJECT
 public:
  explicit Timeline(Session& session, QWidget* parent = nullptr);
  QSize sizeHint() const override { return {600, 192}; }
  double x_of(double frame) const;
  int frame_at(double x) const;
  std::optional<std::pair<int, int>> selection() const;  // first and last selected frame

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  bool event(QEvent*) override;

 private:
  QRectF lane(int i) const;  // 0 light, 1 camera, 2 marks
  void paint_light(QPainter& p, const QRectF& r) const;
  void paint_camera(QPainter& p, const QRectF& r) const;
  void paint_marks(QPainter& p, const QRectF& r) const;
  void trace(QPainter& p, const QRectF& r, const std::vector<double>& v, double low, double high,
             const QPen& pen) const;
  std::vector<double> developed() const;

  Session& session_;
  double first_ = 0, last_ = 1;  // visible frames
  double press_x_ = -1;
  bool selecting_ = false;
};

}  // namespace tsukimi::app
