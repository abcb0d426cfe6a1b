// SPDX-License-Identifier: GPL-3.0-or-later
// Places: exposure, temperature and tint, in linear light.
//
// All are factors on light, so the places' sums run in stops: a place of -1 EV takes one stop off
// where it is whole, half a stop where its mask is a half, and a mask and its inverse give together
// what one value everywhere would. Temperature and tint are shifts of the look's: factors on the
// three cones of Bradford's adaptation, with the brightness of grey kept.
#pragma once

#include "develop/local_amounts.h"
#include "develop/rows.h"

namespace tsukimi {

class PlaceLight {
 public:
  PlaceLight(const LocalAmounts& amounts, const Look& look);
  bool changes() const { return exposes_ || tints_; }
  void apply(const Rows& rows, int y) const;  // linear Rec. 2020, in place

 private:
  const LocalAmounts& amounts_;
  bool exposes_, tints_;
  std::array<std::vector<float>, 3> cones_;  // stops at full strength, of each place
};

}  // namespace tsukimi
