// SPDX-License-Identifier: GPL-3.0-or-later
// Below the lanes: all of the shoot, and a window on what of it the lanes show. The window is
// dragged, also by its ends.
#pragma once

#include <QPixmap>

#include "app/timeline/lane.h"

namespace tsukimi::app {

class Overview {
 public:
  explicit Overview(Session& session) : session_(session) {}
  static constexpr int kHeight = 16;

  // r: its place in the widget. view: where the lanes lie, and the frames that they show.
  void paint(QPainter& p, const QRectF& r, const TimeScale& view);
  void redraw() { drawn_ = {}; }  // something else is there

  // A press, and the frames that the lanes show after a drag to x.
  void press(double x, const QRectF& r, const TimeScale& view);
  std::pair<double, double> drag(double x, const QRectF& r) const;
  Qt::CursorShape cursor(double x, const QRectF& r, const TimeScale& view) const;

 private:
  enum class Grip { window, first, last };
  TimeScale all(const QRectF& r) const;
  double frames() const;  // the last one's number, at least 1
  Grip grip_at(double x, const QRectF& r, const TimeScale& view) const;

  Session& session_;
  QPixmap drawn_;
  Grip grip_ = Grip::window;
  double from_ = 0, first_ = 0, last_ = 1;  // of the press: frame below it, and the window
};

}  // namespace tsukimi::app
