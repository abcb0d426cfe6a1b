// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of colour that depend on hue: the hue ring, saturation, and muted colours.
//
// The ring has movable points on the circle of OkLCh hues; each turns its hue, gives it more or
// less colour and makes it lighter or darker. Between two points everything runs smoothly (raised
// cosine). Saturation is the same for all hues. Muted colours gain with (1 - chroma / 0.25)^2, and
// half as much at the hues of skin (round 55 degrees).
#pragma once

#include <vector>

#include "adjust/parameters.h"
#include "develop/rows.h"

namespace tsukimi {

class HueTable {
 public:
  explicit HueTable(const Look& look);
  bool changes() const { return changes_; }
  void apply(const Rows& oklab) const;  // in place

  // The turn (degrees), gain and lightness that the ring alone gives a hue, for drawing it.
  struct At {
    double turn, saturation, lightness;  // degrees, -100..100, -100..100
  };
  static At ring_at(const Look& look, double hue);

 private:
  bool changes_;
  // By a measure of hue that needs no arc tangent ("diamond angle"), kHueSize steps round.
  std::vector<float> table_;  // by hue: turn, lightness, muted colours
};

}  // namespace tsukimi
