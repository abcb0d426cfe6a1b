// SPDX-License-Identifier: GPL-3.0-or-later
// A turn of the sky, as a camera that stands sees it: a rotation of its rays.
#pragma once

#include <array>

#include "image/points.h"

namespace tsukimi {

// Rays: x to the right, y down, z into the picture.
using Ray = std::array<double, 3>;
using Rotation = std::array<double, 9>;  // row by row
constexpr Rotation kNoRotation{1, 0, 0, 0, 1, 0, 0, 0, 1};

Ray turned(const Rotation& by, const Ray& ray);
Rotation then(const Rotation& first, const Rotation& second);
Rotation inverse(const Rotation& r);
// About an axis of length 1, right-handed.
Rotation rotation_about(const Ray& axis, double radians);
double angle_of(const Rotation& r);                 // 0..pi
Rotation part_of(const Rotation& r, double share);  // about its own axis; of less than half a turn

// How rays fall onto the frame: a pinhole's picture whose radius r, in widths of the frame from
// its middle, is drawn to r (1 + bend r^2).
struct SkyLens {
  double focal = 1;                  // in widths of the frame
  double bend = 0;                   // -0.3..0.3
  double aspect = 1.5;               // of the frame, width over height
  Ray ray(Point on_frame) const;     // of length 1; on_frame: (0, 0) to (1, 1)
  Point seen(const Ray& ray) const;  // far outside of the frame for what lies behind
  bool operator==(const SkyLens&) const = default;
};

struct SkyTurn {
  SkyLens lens;
  Rotation turn = kNoRotation;
  // Where what would be seen there without the turn is seen with it.
  Point at(Point p) const { return lens.seen(turned(turn, lens.ray(p))); }
  bool operator==(const SkyTurn&) const = default;
};
SkyTurn inverse(const SkyTurn& t);

}  // namespace tsukimi
