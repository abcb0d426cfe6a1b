// SPDX-License-Identifier: GPL-3.0-or-later
// How much of each adjustment the places bring to every pixel: the sum over all of them of mask
// times strength times value. So each operation runs once, however many places there are.
#pragma once

#include <span>

#include "develop/recipe.h"

namespace tsukimi {

class LocalAmounts {
 public:
  // image: linear Rec. 2020, levelled and exposed, before anything else; frame: the upright frame.
  LocalAmounts(const Image& image, const PictureRecipe& settings, Size frame);

  bool any() const { return !masks_.empty(); }
  bool uses(Param p) const;
  // Row y of the sum, in the units of the table; of the values given instead, one for each place.
  void sum(Param p, int y, float* out) const;
  void sum(std::span<const float> values, int y, float* out) const;
  // Of the place that is to be seen (PictureRecipe::veil), its mask alone.
  bool has_veil() const { return veil_; }
  void veil(int y, float* out) const;
  // Each place with its strength, for what is no plain sum.
  std::span<const PlaceAt> places() const { return places_; }

 private:
  struct Stored {
    Pixels<std::uint16_t> data;      // 65535: whole
    std::vector<std::uint8_t> some;  // of each row, whether anything in it is not 0
  };
  std::vector<PlaceAt> places_;
  std::vector<Stored> masks_;
  std::array<std::vector<float>, kPlace.count> values_;  // with their strength, of each place
  bool veil_ = false;                                    // the last one
  int width_ = 0;
};

}  // namespace tsukimi
