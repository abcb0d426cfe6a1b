// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/zoom.h"

#include <algorithm>

namespace tsukimi::app {

double Zoom::next(int direction, double fit) const {
  const double now = fits() ? fit : scale;
  if (direction > 0) {
    for (double step : kSteps)
      if (step > now * 1.01) return step;
    return scale;
  }
  double found = kFit;
  for (double step : kSteps)
    if (step != kFit && step < now * 0.99 && step > fit) found = step;
  return found;
}

void Zoom::move(QPointF by, const Canvas& canvas) {
  centre = {std::clamp(centre.x() - by.x() / canvas.target.width(), 0.0, 1.0),
            std::clamp(centre.y() - by.y() / canvas.target.height(), 0.0, 1.0)};
}

void Zoom::keep_in_place(QPointF at, const Canvas& now, const Canvas& then) {
  const QPointF place((at.x() - now.target.x()) / now.target.width(),
                      (at.y() - now.target.y()) / now.target.height());
  const QPointF there(then.target.x() + place.x() * then.target.width(),
                      then.target.y() + place.y() * then.target.height());
  move(at - there, then);
}

void Zoom::drag(QPointF at, const Canvas& canvas) {
  move(at - from_, canvas);
  from_ = at;
}

}  // namespace tsukimi::app
