// SPDX-License-Identifier: GPL-3.0-or-later
// What depends on a place's surroundings: haze, highlights and shadows, local contrast, sharpness.
//
// All four need the same things, a logarithm of light and its edge-preserving base, so they are
// prepared together and end in one gain per pixel (haze: one gain and one offset). The base is made
// on a small copy, so proxies and full frames give the same look.
#pragma once

#include <optional>

#include "develop/local_amounts.h"
#include "develop/rows.h"
#include "image/guided.h"

namespace tsukimi {

// Highlights and shadows move the base: shadows up to 1.6 stops where it lies two stops and more
// below middle grey, highlights up to 1.4 where it lies above; monotone for the whole range. Local
// contrast moves a pixel away from its base, less where it is far from it already. Sharpness moves
// it away from its close surroundings (Gaussian), at most 0.4 stops.
// Haze: light = scene * t + air * (1 - t) (He, Sun & Tang, "Single image haze removal using dark
// channel prior", 2009). The veil 1 - t comes from the darkest channel of each pixel against the
// airlight (a value of the look, never measured on the frame), smoothed by a guided filter that is
// its own guide, so that its edges are the picture's and no halo stands round a ridge; t is at
// least 0.3. Brightness and strength of colour change, hue does not, and no channel is pressed to
// zero. Negative haze mixes airlight in.
class LocalLight {
 public:
  // Linear Rec. 2020. amounts: what places add to each, pixel by pixel; they outlive this.
  LocalLight(const Image& image, const Look& look, const LocalAmounts& amounts);
  bool changes() const { return changes_; }
  void apply(const Rows& rows, int y) const;  // row y of that image, in place

 private:
  void prepare_sharpness(const Image& image);
  void haze(const Rows& rows, int y, float* a, float* b, float* amount) const;
  const float* amount_row(float all, Param p, float per, int y, float* out) const;

  const LocalAmounts& amounts_;
  bool changes_ = false;
  bool moves_ = false, clears_ = false, sharpens_ = false;  // moves_: needs the base
  bool moved_in_places_ = false, clears_in_places_ = false, sharpens_in_places_ = false;
  int width_ = 0, height_ = 0;
  float highlights_, shadows_, local_, haze_, sharp_, mask_;
  double radius_;
  float air_[3], per_air_[3];
  std::optional<GuidedCoefficients> base_, veil_;  // veil: 1 - t before the amount
  Enlarge enlarge_;
  Plane log_, blurred_;  // for sharpness
};

// The airlight of a picture: mean of the brightest of the 0.5 % of places whose darkest channel is
// highest (He et al., ch. 4.4). Linear Rec. 2020.
std::array<float, 3> measure_airlight(const Image& image);

}  // namespace tsukimi
