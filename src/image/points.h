// SPDX-License-Identifier: GPL-3.0-or-later
// Points of the plane, and what lies round some.
#pragma once

#include <algorithm>
#include <span>

namespace tsukimi {

struct Point {
  double x = 0, y = 0;
  bool operator==(const Point&) const = default;
};

// The box of some points; of none it is turned inside out.
struct Bounds {
  double left = 1e9, top = 1e9, right = -1e9, bottom = -1e9;
  void add(const Point& p) {
    left = std::min(left, p.x), right = std::max(right, p.x);
    top = std::min(top, p.y), bottom = std::max(bottom, p.y);
  }
  double width() const { return right - left; }
  double height() const { return bottom - top; }
};
inline Bounds bounds_of(std::span<const Point> points) {
  Bounds out;
  for (const Point& p : points) out.add(p);
  return out;
}

// By the parity of edges that are crossed to the left of it.
inline bool is_inside(std::span<const Point> polygon, double x, double y) {
  bool in = false;
  for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
    const Point &a = polygon[i], &b = polygon[j];
    if ((a.y > y) != (b.y > y) && x < (b.x - a.x) * (y - a.y) / (b.y - a.y) + a.x) in = !in;
  }
  return in;
}

}  // namespace tsukimi
