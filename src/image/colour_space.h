// SPDX-License-Identifier: GPL-3.0-or-later
// The colour spaces that pictures leave the program in: primaries, white and transfer function of
// each, from its standard.
#pragma once

#include <string_view>

#include "base/table.h"
#include "image/colour.h"

namespace tsukimi {

// E = slope L up to the knee, (1 + offset) L^exponent - offset above it; L is linear light, 0..1.
struct Transfer {
  double exponent, offset, slope, knee;
  double encode(double linear) const;
  double decode(double encoded) const;
};

enum class ColourSpace { srgb, rec709, p3, oprgb, rec2020, romm };

struct ColourSpaceInfo {
  ColourSpace id;
  const char* name;   // in files and on the command line
  const char* label;  // on screen
  Chromaticity red, green, blue, white;
  Transfer transfer;
};

// srgb: IEC 61966-2-1. rec709: ITU-R BT.709-6. p3: the primaries of SMPTE EG 432-1 with D65 and the
// transfer function of sRGB, as screens show it. oprgb: IEC 61966-2-5. rec2020: ITU-R BT.2020-2.
// romm: ISO 22028-2 (D50; some of its primaries are no colours).
using ColourSpaces = Table<ColourSpace, ColourSpaceInfo>;
const ColourSpaces& colour_spaces();
const ColourSpaceInfo& info(ColourSpace space);

// From the working space; to another white by Bradford's adaptation.
const Mat3& rec2020_to(ColourSpace space);

}  // namespace tsukimi
