// SPDX-License-Identifier: GPL-3.0-or-later
// The tone curves: master, then one each for red, green and blue.
#pragma once

#include "adjust/interpolate.h"
#include "adjust/parameters.h"

namespace tsukimi {

// Through black, three points and white, monotone (Fritsch & Carlson 1980), on values as displayed
// (sRGB-encoded, 0..1). Points that would pass each other are held apart; the curve goes on
// straight outside 0..1. at(x) = x for the points' presets.
class ToneCurve {
 public:
  ToneCurve(const Look& look, int curve);
  bool changes() const { return changes_; }
  double at(double encoded) const;

 private:
  bool changes_;
  double black_, white_, slope_;
  MonotoneCurve curve_;
};

}  // namespace tsukimi
