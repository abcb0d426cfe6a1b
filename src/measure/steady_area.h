// SPDX-License-Identifier: GPL-3.0-or-later
// Parts of the picture that somebody drew: what does not change from frame to frame (rock, a wall),
// or what is to be left out (a road with headlights).
#pragma once

#include <vector>

#include "base/table.h"
#include "framing/geometry.h"
#include "image/points.h"

namespace tsukimi {

enum class AreaShape { rectangle, ellipse, freehand };
constexpr Words<AreaShape> kAreaShapes{{{AreaShape::rectangle, "rectangle"},
                                        {AreaShape::ellipse, "ellipse"},
                                        {AreaShape::freehand, "freehand"}}};

// In fractions of the upright frame.
struct SteadyArea {
  AreaShape shape = AreaShape::rectangle;
  Rect box = {};                    // of a freehand one what its outline fills
  std::vector<Point> outline = {};  // of a freehand one, at least three corners
  bool leave_out = false;
  bool contains(double x, double y) const;
  bool operator==(const SteadyArea&) const = default;
};

SteadyArea freehand_area(std::vector<Point> outline, bool leave_out);

// Whether a place takes part: in one of those that are drawn to be steady (or none is), and in none
// that is left out.
bool takes_part(const std::vector<SteadyArea>& areas, double x, double y);
// Whether any says what is steady; else they only leave out.
bool names_steady(const std::vector<SteadyArea>& areas);
// Those that leave out.
std::vector<SteadyArea> left_out(std::vector<SteadyArea> areas);

}  // namespace tsukimi
