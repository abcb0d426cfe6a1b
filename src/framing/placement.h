// SPDX-License-Identifier: GPL-3.0-or-later
// Where a picture lies in the frame that it is made from.
#pragma once

#include <optional>

#include "framing/geometry.h"
#include "framing/sky_turn.h"
#include "image/orientation.h"

namespace tsukimi {

// A map from the picture to the upright frame, both from (0, 0), top left, to (1, 1): affine, and
// where the stars are held the sky's turn behind it.
struct Placement {
  Point corner;                   // of the frame, where the picture's top left lies
  Point right{1, 0}, down{0, 1};  // from there along the picture's upper and left edge
  Size size;  // of the picture, in pixels; 0x0: the whole frame, as large as it is
  Rect film;  // the part of the picture that the film shows
  std::optional<SkyTurn> sky = {};

  Placement() = default;
  Placement(Rect part, Size pixels = {}, Rect film_part = {})
      : corner{part.x, part.y}, right{part.w, 0}, down{0, part.h}, size(pixels), film(film_part) {}

  Point flat(double u, double v) const {  // without the sky's turn
    return {corner.x + u * right.x + v * down.x, corner.y + u * right.y + v * down.y};
  }
  Point at(double u, double v) const { return sky ? sky->at(flat(u, v)) : flat(u, v); }
  Point back(Point on_frame) const;  // where in the picture that is
  bool is_turned() const { return right.y != 0 || down.x != 0 || sky; }
  Rect part() const { return {corner.x, corner.y, right.x, down.y}; }  // when it is not turned
  bool operator==(const Placement&) const = default;
};

// A part of the frame turned about its middle, clockwise as seen, by less than 45 degrees: its
// sides keep their lengths in pixels of the frame.
Placement turned(Placement part, double degrees, Size frame);

// How many pixels of a source that holds the whole upright frame there are per pixel of the
// picture: along its upper edge.
double reduction(const Placement& placement, Size source, int width);

}  // namespace tsukimi
