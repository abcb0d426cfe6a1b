// SPDX-License-Identifier: GPL-3.0-or-later
// A lane of the timeline: what one of its rows shows over time, a lane a file.
#pragma once

#include <QCoreApplication>
#include <QPainter>

#include "app/state/session.h"

namespace tsukimi::app {

constexpr double kInset = 9;  // px: room for a disc on the first and the last frame

// Where frames stand along the lanes.
struct TimeScale {
  double left = 0, width = 1;  // pixels: the first and the last seen frame stand at the ends
  double first = 0, last = 1;  // frames that are seen
  double x_of(double frame) const { return left + (frame - first) / (last - first) * width; }
  double frame_at(double x) const { return first + (x - left) / width * (last - first); }
  bool operator==(const TimeScale&) const = default;
};

class Lane {
  Q_DECLARE_TR_FUNCTIONS(Lane)
 public:
  Lane(const char* title, int pixels, Session& session)
      : name(title), height(pixels), session_(session) {}
  virtual ~Lane() = default;
  const char* const name;
  const int height;
  // Everything but what moves with the playhead: the timeline keeps the picture until the shoot,
  // the light or the scale changes. r: the lane in the widget.
  virtual void paint(QPainter& p, const QRectF& r, const TimeScale& scale) const = 0;
  // What follows the playhead, above that picture.
  virtual void paint_here(QPainter&, const QRectF&, const TimeScale&) const {}

  // The mouse on it. A press that is the lane's own: true, and it gets the drag; else the timeline
  // does what it does everywhere.
  virtual bool press(QPointF, const QRectF&, const TimeScale&) { return false; }
  virtual void drag(QPointF, const TimeScale&) {}
  // A context menu there; false: the lane has none.
  virtual bool menu(QPointF, QPoint /*on_screen*/, const QRectF&, const TimeScale&) {
    return false;
  }
  virtual QString tip(QPointF, const QRectF&, const TimeScale&) const { return {}; }
  virtual Qt::CursorShape cursor(QPointF, const QRectF&, const TimeScale&) const {
    return Qt::ArrowCursor;
  }

 protected:
  Session& session_;
};

}  // namespace tsukimi::app
