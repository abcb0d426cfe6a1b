// SPDX-License-Identifier: GPL-3.0-or-later
// The light of a picture without its grain, by which masks are limited: tones and hues of what is
// there, pixel by pixel at edges, of the surroundings where it is smooth.
#pragma once

#include "image/guided.h"
#include "places/mask.h"

namespace tsukimi {

// From the logarithm of light by a guided filter that is its own guide (guided.h); colour follows
// the same guide. What is measured is already levelled and deflickered; `stops`, the look's own
// exposure, is taken out again, so that no key frame of it moves a mask.
class SmoothLight {
 public:
  SmoothLight(const Image& image, double stops, bool with_hues);  // linear Rec. 2020
  // Row y of the same picture, as it was. The pointers hold until the next row of this thread.
  RowLight row(const Image& image, int y) const;

 private:
  float gain_;
  bool with_hues_;
  int width_;
  GuidedCoefficients tone_, hue_a_, hue_b_;
  Enlarge enlarge_;
};

}  // namespace tsukimi
