// SPDX-License-Identifier: GPL-3.0-or-later
// Places: black point, white point and contrast, each with the curve that the look's has (points.h,
// contrast.h), by what the places sum up to at every pixel.
#pragma once

#include "develop/local_amounts.h"
#include "develop/rows.h"

namespace tsukimi {

class PlaceTones {
 public:
  explicit PlaceTones(const LocalAmounts& amounts);
  bool changes() const { return points_ || contrast_; }
  void apply(const Rows& rows, int y) const;  // linear Rec. 2020, in place

 private:
  const LocalAmounts& amounts_;
  bool points_, contrast_;
};

}  // namespace tsukimi
