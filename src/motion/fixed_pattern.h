// SPDX-License-Identifier: GPL-3.0-or-later
// What lies on the sensor, told from the scene behind it by the tripod's own movement.
//
// Three frames that follow each other are brought to lie on each other by the shifts between them.
// Then the scene cancels, even where its light changes evenly, and what is left of the second
// difference of the logarithm of light is what did not move with it: a shadow on the sensor, times
// how far its frames were displaced. Regressing the one on the other gives the shadow's slopes; a
// weighted Poisson equation makes stops of them. A few tenths of a pixel are enough; where the
// tripod stands on rock nothing can be told, and the trust is 0.
#pragma once

#include <vector>

#include "motion/similarity.h"

namespace tsukimi {

// Slopes of what lies on the sensor, in stops per pixel, and how far each is to be trusted:
// 1 / variance; 0 where nothing is known.
struct FixedSlopes {
  Plane x, y, trust_x, trust_y;
  double wobble = 0;  // pixels, RMS along an axis: how far the frames lie from where they should
  // Sigma, pixels, of the Gaussian that the slopes are smoothed by: that of the frames, widened by
  // the third-order term of the difference (for normally distributed displacements it acts as if
  // by twice their variance).
  double smoothing = 0;
};

class FixedPattern {
 public:
  FixedPattern(int width, int height);
  // Frames that follow each other, with the shifts from the one in the middle to the others.
  void add(const SlopedFrame& before, const SlopedFrame& now, const SlopedFrame& after,
           const Shift& to_before, const Shift& to_after);
  void add(const FixedPattern& other);
  FixedSlopes slopes() const;

 private:
  // Over the threes in which a pixel is known, weighted but `count`: x, y displacements, c change,
  // slope of the scene.
  struct Sums {
    float count = 0, n = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0, c = 0, cc = 0, cx = 0, cy = 0,
          slope_x = 0, slope_y = 0;
  };
  int width_, height_;
  double displaced_ = 0, third_ = 0, count_ = 0;  // sums over the threes, of squares and beyond
  std::vector<Sums> sums_;
};

// Stops whose slopes are those, by weighted least squares; near nothing where nothing is known.
Plane stops_of(const FixedSlopes& slopes);

}  // namespace tsukimi
