// SPDX-License-Identifier: GPL-3.0-or-later
// A picture prepared so that how it moved can be measured to thousandths of a pixel: stops of
// light, smoothed so much that it can be displaced exactly, with its slopes.
#pragma once

#include "motion/registration.h"

namespace tsukimi {

// Slopes in stops per pixel; known: 1; 0 where it is too dark or clipped within reach of the
// smoothing.
struct SlopedFrame {
  Plane stops, slope_x, slope_y, known;
};
constexpr double kShiftSmoothing = 1.2;  // sigma, pixels

// stops: log2 of light, what lies round every pixel taken off. known: 0 or 1.
SlopedFrame slope_frame(const Plane& stops, const Plane& known);

// The same step by step, for those that keep the smoothed stops: slopes are differences over five
// pixels.
Plane smoothed(const Plane& stops);
Plane all_known(const Plane& known);  // 1 where all is that the smoothing reaches
SlopedFrame with_slopes(Plane smoothed, Plane known);

// out(x) = in(x + shift), by Lagrange's polynomial through six pixels; borders are repeated.
Plane displaced(const Plane& in, const Shift& shift);
Plane displaced_part(const Plane& in, const Shift& shift, int x0, int y0, int x1, int y1);

}  // namespace tsukimi
