// SPDX-License-Identifier: GPL-3.0-or-later
// What of a look can be carried or saved by itself: a row of the table, or rows that mean nothing
// without each other (a tone curve, the hue ring, a split tone, the air and how much of it is
// cleared).
#pragma once

#include <string>

#include "adjust/parameters.h"

namespace tsukimi {

struct LookPart {
  std::string name;   // "highlights", "tone_curve"
  std::string label;  // on screen
  std::string page;   // of the Look drawer
  std::vector<Param> rows;
};

// In the order of the table.
const std::vector<LookPart>& look_parts();
// The rows of a part, of a page ("tones"), or of the look ("all"); none: there is nothing of that
// name.
std::vector<Param> rows_named(std::string_view name);
// These rows, as they stand in `from`, everything else as it is in `to`.
Values with_rows(Values to, const Values& from, std::span<const Param> rows);

}  // namespace tsukimi
