// SPDX-License-Identifier: GPL-3.0-or-later
// A line through one value a frame, in a lane.
#pragma once

#include "app/timeline/lane.h"

namespace tsukimi::app {

// low, high: the values at the lane's lower and upper edge. A value that is not known (NaN) does
// not break the line. With more frames than there is room for, the line is a band from the least to
// the most in every pixel.
void paint_trace(QPainter& p, const QRectF& r, const TimeScale& scale, const std::vector<double>& v,
                 double low, double high, const QPen& pen);

}  // namespace tsukimi::app
