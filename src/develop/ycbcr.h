// SPDX-License-Identifier: GPL-3.0-or-later
// Linear light to the Y'CbCr of films.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "base/table.h"
#include "develop/wide_light.h"
#include "image/colour_space.h"
#include "image/image.h"

namespace tsukimi {

enum class Sampling { full, half_across, half_both };
constexpr Words<Sampling> kSamplings{
    {{Sampling::full, "444"}, {Sampling::half_across, "422"}, {Sampling::half_both, "420"}}};

// Planes Y', Cb, Cr of 8 to 12 bit in narrow range (ITU-R BT.709 and BT.2020: black 16, white 235
// of 8 bit), row by row without padding.
struct YCbCr {
  int width = 0, height = 0, bits = 8;
  Sampling sampling = Sampling::half_both;
  std::array<std::vector<std::uint16_t>, 3> planes;
  LightLevels levels = {};  // of wide light
  int width_of(int plane) const {
    return plane == 0 || sampling == Sampling::full ? width : (width + 1) / 2;
  }
  int height_of(int plane) const {
    return plane == 0 || sampling != Sampling::half_both ? height : (height + 1) / 2;
  }
};

// From linear Rec. 2020 straight, by way of no 8-bit RGB: fitted into the space (rec709 or
// rec2020), its matrix, colour differences averaged to their samples (which lie on the left of two
// pixels, in the middle of two rows), then dithered and rounded once.
YCbCr to_ycbcr(const Image& rec2020, ColourSpace space, int bits, Sampling sampling);
// The same of wide light, in Rec. 2020.
YCbCr to_wide_ycbcr(const Image& rec2020, FilmLight light, int bits, Sampling sampling);

}  // namespace tsukimi
