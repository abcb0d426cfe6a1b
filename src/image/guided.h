// SPDX-License-Identifier: GPL-3.0-or-later
// Edge-preserving smoothing: the fast guided filter (He & Sun, "Fast guided filter", 2015), with a
// regularisation that steps back at strong edges (after Li et al., "Weighted guided image
// filtering", IEEE TIP 24(1), 2015), so that no halo stands round a dark ridge against a bright
// sky.
#pragma once

#include <vector>

#include "image/image.h"

namespace tsukimi {

// What comes out: the smoothed value at any place is a * guide + b, with a and b small planes.
struct GuidedCoefficients {
  Plane a, b;
};

// guide, input: of one (small) size. radius: of the window, in pixels. softness: spread of what is
// smoothed away, in units of the guide. edge: spread of the guide within a window from which on it
// counts as an edge.
GuidedCoefficients guided_filter(const Plane& guide, const Plane& input, int radius,
                                 double softness, double edge);

// Mean over a square window of the given radius, shorter at the borders.
Plane box_mean(const Plane& in, int radius);

// Rows of small planes enlarged bilinearly to width x height.
class Enlarge {
 public:
  Enlarge() = default;
  Enlarge(Size small, Size large);
  // Row y of the large picture, of two planes at once.
  void row(const GuidedCoefficients& small, int y, float* a, float* b) const;

 private:
  Size small_, large_;
  std::vector<int> at_;      // per column of the large picture: the small one before it
  std::vector<float> part_;  // and how far it lies towards the next
};

}  // namespace tsukimi
