// SPDX-License-Identifier: GPL-3.0-or-later
#include "framing/placement.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {

Placement turned(Placement p, double degrees, Size frame) {
  const double a = degrees * std::numbers::pi / 180, c = std::cos(a), s = std::sin(a);
  const double w = frame.width, h = frame.height;
  const Point middle = p.at(0.5, 0.5);
  auto turn = [&](Point v) {  // a vector, by way of pixels
    return Point{(v.x * w * c - v.y * h * s) / w, (v.x * w * s + v.y * h * c) / h};
  };
  p.right = turn(p.right);
  p.down = turn(p.down);
  p.corner = {middle.x - (p.right.x + p.down.x) / 2, middle.y - (p.right.y + p.down.y) / 2};
  return p;
}

Point Placement::back(Point p) const {
  if (sky) p = inverse(*sky).at(p);
  const double x = p.x - corner.x, y = p.y - corner.y, det = right.x * down.y - right.y * down.x;
  return {(x * down.y - y * down.x) / det, (y * right.x - x * right.y) / det};
}

double reduction(const Placement& p, Size source, int width) {
  const double along = p.right.y == 0
                           ? p.right.x * source.width
                           : std::hypot(p.right.x * source.width, p.right.y * source.height);
  return along / std::max(1, width);
}

}  // namespace tsukimi
