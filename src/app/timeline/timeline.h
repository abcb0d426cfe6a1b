// Time: one playhead through the lanes of light, camera and marks (a lane a file). Wheel zooms,
// drag selects a range. A step of the playhead paints the lanes' kept picture.
#pragma once

#include <QPixmap>
#include <QWidget>
#include <optional>

#include "app/timeline/camera_lane.h"
#include "app/timeline/light_lane.h"
#include "app/timeline/marks_lane.h"

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
  QRectF lane(int i) const;   // 0 light, 1 camera, 2 marks
  QRectF marks_clip() const;  // discs of the first and last frame reach beyond their lane
  TimeScale scale() const;
  const QPixmap& drawn();

  Session& session_;
  std::vector<std::unique_ptr<Lane>> lanes_;
  MarksLane* marks_ = nullptr;
  // The lanes as they were painted last, and for what.
  struct Drawn {
    TimeScale scale;
    QSize pixels;
    QPixmap lanes;
  } drawn_;
  double first_ = 0, last_ = 1;  // visible frames
  double press_x_ = -1;
  bool selecting_ = false;
};

}  // namespace tsukimi::app
