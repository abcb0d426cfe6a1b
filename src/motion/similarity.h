// SPDX-License-Identifier: GPL-3.0-or-later
// How a picture lies on another when the camera moved a little: shifted, turned, larger or smaller.
#pragma once

#include "motion/sloped_frame.h"

namespace tsukimi {

// Content of a at p lies in b at exp(log_scale) R(angle) p + (dx, dy), both from the middle of the
// picture; angle in radians, clockwise as it is seen. Lengths in any one unit.
struct Similarity {
  double dx = 0, dy = 0, angle = 0, log_scale = 0;
  bool operator==(const Similarity&) const = default;
};
struct Offset {
  double x = 0, y = 0;
};
Offset moved(const Similarity& by, const Offset& p);
Similarity then(const Similarity& first, const Similarity& second);
Similarity inverse(const Similarity& of);

struct MeasuredSimilarity {
  Similarity move;     // pixels
  bool known = false;  // false: too little to hold on to
  double doubt = 0;    // pixels: median misfit of the parts that weigh most
  // By how much less is left with turn and scale, in units of what each number may leave; whether
  // that is so much that it is no accident; the movement without them where it is not.
  double better_than_shift = 0;
  bool turns = false;
  Similarity shift = {};
};

// From a shift that is right to about a pixel; turns of a degree and scales of a hundredth are
// found, or (a shift alone) are taken to be none. Parts of the picture vote with their own
// structure over what they leave unexplained, those that disagree with the most count little
// (iteratively reweighted least squares): clouds, water and ships do not take the tripod with them.
// partly: only a part of the picture is known to stand (motion/layers.h): a narrow one says nothing
// of turn and scale.
MeasuredSimilarity measure_similarity(const SlopedFrame& a, const SlopedFrame& b,
                                      const Shift& about, bool shift_alone = false,
                                      bool partly = false);

}  // namespace tsukimi
