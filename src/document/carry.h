// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying chosen rows of a look onto chosen frames.
#pragma once

#include "adjust/look_parts.h"
#include "document/shoot/shoot.h"

namespace tsukimi {

struct CarryChange {
  int frame;
  Param param;
  double from, to;
};

// What carry() would change, by frame and then in the order of the table; what would be shown as
// the same number is no change.
std::vector<CarryChange> carry_changes(const Shoot& shoot, const Values& look,
                                       std::span<const Param> rows, std::span<const int> frames);
// Frames without a key frame get one.
void carry(Shoot& shoot, const Values& look, std::span<const Param> rows,
           std::span<const int> frames);

// Key frames that a look is carried to: "all", "before" or "after" the frame that it is of, which
// is not among them.
enum class CarryTo { all, before, after };
std::vector<int> carry_targets(const Shoot& shoot, int from, CarryTo to);

}  // namespace tsukimi
