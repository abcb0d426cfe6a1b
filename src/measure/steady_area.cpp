// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/steady_area.h"

#include <algorithm>

namespace tsukimi {

bool SteadyArea::contains(double x, double y) const {
  if (x < box.x || x >= box.x + box.w || y < box.y || y >= box.y + box.h) return false;
  switch (shape) {
    case AreaShape::rectangle:
      return true;
    case AreaShape::ellipse: {
      const double u = 2 * (x - box.x) / box.w - 1, v = 2 * (y - box.y) / box.h - 1;
      return u * u + v * v <= 1;
    }
    case AreaShape::freehand:
      return is_inside(outline, x, y);
  }
  return false;
}

SteadyArea freehand_area(std::vector<Point> outline, bool leave_out) {
  const Bounds box = bounds_of(outline);
  return {AreaShape::freehand,
          {box.left, box.top, box.width(), box.height()},
          std::move(outline),
          leave_out};
}

bool names_steady(const std::vector<SteadyArea>& areas) {
  return !std::ranges::all_of(areas, &SteadyArea::leave_out);
}

bool takes_part(const std::vector<SteadyArea>& areas, double x, double y) {
  bool in = !names_steady(areas);
  for (const SteadyArea& area : areas) {
    if (!area.contains(x, y)) continue;
    if (area.leave_out) return false;
    in = true;
  }
  return in;
}

std::vector<SteadyArea> left_out(std::vector<SteadyArea> areas) {
  std::erase_if(areas, [](const SteadyArea& area) { return !area.leave_out; });
  return areas;
}

}  // namespace tsukimi
