// SPDX-License-Identifier: GPL-3.0-or-later
// Black levels that differ from row to row and from column to column (DNG 1.4: BlackLevel,
// BlackLevelDeltaH, BlackLevelDeltaV). The raw decoder knows only their mean.
#pragma once

#include <optional>
#include <vector>

#include "camera/tiff_tags.h"

namespace tsukimi {

struct BlackLevels {
  std::vector<double> base;  // row by row, column by column, sample by sample; repeats
  int rows = 1, columns = 1, samples = 1;
  std::vector<double> across, down;  // added per column and per row; empty: none
  int left = 0, top = 0;             // where the pattern begins (ActiveArea), in the stored picture

  // Of a pixel of the stored picture, borders included.
  double at(int x, int y, int sample) const;
  double most() const;
};

// Nothing when the file has no levels by row or column.
std::optional<BlackLevels> read_black_levels(const TiffTags& tags);

}  // namespace tsukimi
