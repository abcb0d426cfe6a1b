// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/carry.h"

#include <algorithm>
#include <cmath>

#include "document/values.h"

namespace tsukimi {

std::vector<CarryChange> carry_changes(const Shoot& shoot, const Values& look,
                                       std::span<const Param> rows, std::span<const int> frames) {
  const Course course = course_of(shoot);
  std::vector<CarryChange> out;
  for (int frame : frames) {
    const Values here = course.at(frame);
    for (Param p : rows)
      if (std::fabs(here[p] - look[p]) >= 0.5 * std::pow(10, -info(p).decimals))
        out.push_back({frame, p, here[p], look[p]});
  }
  std::ranges::stable_sort(out, {},
                           [](const CarryChange& c) { return std::pair(c.frame, c.param); });
  return out;
}

void carry(Shoot& shoot, const Values& look, std::span<const Param> rows,
           std::span<const int> frames) {
  // A new one takes what the course had there before any other was made.
  const Course before = course_of(shoot);
  for (int frame : frames) {
    const bool fresh = !has_key(shoot, frame);
    Values& to = values_at_key(shoot, frame);
    to = with_rows(fresh ? before.at(frame) : to, look, rows);
  }
}

std::vector<int> carry_targets(const Shoot& shoot, int from, CarryTo to) {
  std::vector<int> out = key_places(shoot);
  std::erase_if(out, [&](int frame) {
    return frame == from || (to == CarryTo::before && frame > from) ||
           (to == CarryTo::after && frame < from);
  });
  return out;
}

}  // namespace tsukimi
