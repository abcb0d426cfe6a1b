// SPDX-License-Identifier: GPL-3.0-or-later
// White and black point, contrast and tone curves in one table per channel: each is a function of
// one channel's light alone, so together they are one too.
#pragma once

#include <array>
#include <vector>

#include "adjust/parameters.h"
#include "develop/rows.h"

namespace tsukimi {

class ToneTable {
 public:
  explicit ToneTable(const Look& look);
  bool changes() const { return changes_; }
  void apply(const Rows& rows) const;  // linear Rec. 2020, in place

 private:
  bool changes_;
  // Linear light over v = sqrt(linear), and its rise to the next of kToneSize steps over
  // 0..kToneMost; above, straight in v.
  std::array<std::vector<float>, 3> table_;
  std::array<float, 3> below_{};  // slope for light below black
};

}  // namespace tsukimi
