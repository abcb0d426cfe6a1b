// SPDX-License-Identifier: GPL-3.0-or-later
// Lanczos' kernel (Duchon 1979), widened for reduction (Turkowski 1990).
#pragma once

#include <vector>

namespace tsukimi {

// 1 at 0, 0 from a distance of `radius` on.
double lanczos(double x, double radius);

// The weights of all taps as polynomials of the place between two pixels, so that they can be had
// for many places at once. They sum to 1 at every place; each is within 0.004 of the kernel's.
struct LanczosTaps {
  static constexpr int kDegree = 3;
  // reduction: source pixels per pixel of the result; below 1 counts as 1. radius: 2 or 3.
  LanczosTaps(double reduction, int radius);

  int reach;                        // taps on either side
  std::vector<float> coefficients;  // of each tap: constant, linear, ...
};

}  // namespace tsukimi
