// SPDX-License-Identifier: GPL-3.0-or-later
// A grain's shadow in the slopes of what lies on the sensor (motion/fixed_pattern.h).
#pragma once

#include "find_repairs/dust_shape.h"
#include "motion/fixed_pattern.h"

namespace tsukimi {

// How much of a shadow the slopes bear out: 1 all of it; and how far that may be off, more than one
// standard deviation. sector: a quarter of it, 0..3; -1: all of it. Evidence of several apertures
// adds up.
struct Share {
  double share = 0, doubt = 1e9;
};
class Evidence {
 public:
  void add(const FixedSlopes& slopes, const ShadowFit& fit, int sector = -1);
  Share share() const;

 private:
  double own_ = 0, both_ = 0;
};
Share borne_out(const FixedSlopes& slopes, const ShadowFit& fit, int sector = -1);

// The shadow whose slopes are those, by weighted least squares (Gauss & Newton), with an even slope
// of what lies round it; `begin` itself where that leads away from it.
ShadowFit refined(const FixedSlopes& slopes, const ShadowFit& begin);

}  // namespace tsukimi
