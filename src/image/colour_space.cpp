// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/colour_space.h"

#include <array>
#include <cmath>

namespace tsukimi {
namespace {

constexpr Chromaticity kDaylight{}, kHorizon{0.3457, 0.3585};  // D65, D50
constexpr Transfer kSrgb{1 / 2.4, 0.055, 12.92, 0.0031308}, kRec709{0.45, 0.099, 4.5, 0.018},
    // BT.2020-2 gives these for 12 bits as 0.0993 and 0.0181; here to all digits, so that the two
    // parts meet.
    kRec2020{0.45, 0.09929682680944, 4.5, 0.018053968510807}, kOpRgb{256 / 563.0, 0, 0, 0},
    kRomm{1 / 1.8, 0, 16, 1 / 512.0};

constexpr ColourSpaces kSpaces{{
    {ColourSpace::srgb, "srgb", "sRGB", {.64, .33}, {.30, .60}, {.15, .06}, kDaylight, kSrgb},
    {ColourSpace::rec709,
     "rec709",
     "Rec. 709",
     {.64, .33},
     {.30, .60},
     {.15, .06},
     kDaylight,
     kRec709},
    {ColourSpace::p3, "p3", "P3-D65", {.680, .320}, {.265, .690}, {.150, .060}, kDaylight, kSrgb},
    {ColourSpace::oprgb, "oprgb", "opRGB", {.64, .33}, {.21, .71}, {.15, .06}, kDaylight, kOpRgb},
    {ColourSpace::rec2020,
     "rec2020",
     "Rec. 2020",
     {.708, .292},
     {.170, .797},
     {.131, .046},
     kDaylight,
     kRec2020},
    {ColourSpace::romm,
     "romm",
     "ROMM RGB",
     {.7347, .2653},
     {.1596, .8404},
     {.0366, .0001},
     kHorizon,
     kRomm},
}};

}  // namespace

double Transfer::encode(double linear) const {
  return linear <= knee ? slope * linear : (1 + offset) * std::pow(linear, exponent) - offset;
}

double Transfer::decode(double encoded) const {
  return encoded <= slope * knee ? (slope > 0 ? encoded / slope : 0)
                                 : std::pow((encoded + offset) / (1 + offset), 1 / exponent);
}

const ColourSpaces& colour_spaces() { return kSpaces; }
const ColourSpaceInfo& info(ColourSpace space) { return kSpaces[space]; }

const Mat3& rec2020_to(ColourSpace space) {
  static const auto all = [] {
    std::array<Mat3, ColourSpaces::kCount> out;
    for (const ColourSpaceInfo& s : kSpaces)
      out[static_cast<std::size_t>(s.id)] =
          inverse(primaries_to_xyz(s.red, s.green, s.blue, s.white)) *
          bradford(kDaylight, s.white) * rec2020_to_xyz();
    // The same numbers as everywhere.
    out[static_cast<std::size_t>(ColourSpace::srgb)] =
        out[static_cast<std::size_t>(ColourSpace::rec709)] = rec2020_to_srgb();
    out[static_cast<std::size_t>(ColourSpace::rec2020)] = Mat3();
    return out;
  }();
  return all[static_cast<std::size_t>(space)];
}

}  // namespace tsukimi
