// SPDX-License-Identifier: GPL-3.0-or-later
// Places: saturation, muted colours and hue, in Oklab, as hue_ring.h does them for the whole
// picture.
#pragma once

#include "develop/local_amounts.h"
#include "develop/rows.h"

namespace tsukimi {

class PlaceColours {
 public:
  explicit PlaceColours(const LocalAmounts& amounts);
  bool changes() const { return changes_; }
  void apply(const Rows& oklab, int y) const;  // in place

 private:
  const LocalAmounts& amounts_;
  bool changes_;
};

}  // namespace tsukimi
