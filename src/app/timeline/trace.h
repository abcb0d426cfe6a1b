// SPDX-License-Identifier: GPL-3.0-or-later
// A line through one value a frame, in a lane.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

// A value that is not known (NaN) does not break the line. With more frames than there is room for,
// the line is a band from the least to the most in every pixel.
struct Trace {
  QPainter& painter;
  const QRectF& lane;
  const TimeScale& scale;
  double low, high;  // the values at the lane's lower and upper edge
  void draw(const std::vector<double>& values, const QPen& pen) const;

 private:
  double y_of(double value) const;
  void draw_band(const std::vector<double>& values, int first, int last, const QPen& pen) const;
};

}  // namespace tsukimi::app
