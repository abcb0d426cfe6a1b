// SPDX-License-Identifier: GPL-3.0-or-later
// Split tone: shadows lean to one hue, highlights to another.
#pragma once

#include "adjust/parameters.h"
#include "develop/rows.h"

namespace tsukimi {

// In Oklab: adds up to 0.09 of chroma at the hue, weighted by where the lightness lies on either
// side of the balance. Black and white stay neutral.
class SplitTone {
 public:
  explicit SplitTone(const Look& look);
  bool changes() const { return changes_; }
  void apply(const Rows& oklab) const;  // in place

 private:
  bool changes_;
  float shadow_[2], light_[2], middle_;
};

}  // namespace tsukimi
