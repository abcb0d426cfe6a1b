// SPDX-License-Identifier: GPL-3.0-or-later
// A grain's shadow in the slopes of what lies on the sensor (motion/fixed_pattern.h).
#pragma once

#include "find_repairs/dust_shape.h"
#include "motion/fixed_pattern.h"

namespace tsukimi {

// The share of a shadow that the slopes confirm (1: all of it, 0: none), with its standard error,
// rather too large than too small. sector: a quarter of the shadow, 0..3; -1: all of it. The shares
// of several apertures are averaged by their errors.
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

// The shadow whose slopes fit best, by weighted least squares (Gauss-Newton), together with an even
// slope of its surroundings; `begin` itself where the fit does not converge near it.
ShadowFit refined(const FixedSlopes& slopes, const ShadowFit& begin);

}  // namespace tsukimi
