// SPDX-License-Identifier: GPL-3.0-or-later
// What all who look at stars' places count with.
#pragma once

#include <cmath>
#include <numbers>

#include "image/points.h"
#include "sky/sky_fit.h"

namespace tsukimi {

constexpr double kSkyRate = 2 * std::numbers::pi / kSiderealDay;  // radians per second
constexpr double kStarAgrees = 0.0012;  // widths: a star is where it should be

// In widths of the frame, of fractions of it.
inline double apart(Point a, Point b, double aspect) {
  return std::hypot(a.x - b.x, (a.y - b.y) / aspect);
}

}  // namespace tsukimi
