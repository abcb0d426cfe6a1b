// SPDX-License-Identifier: GPL-3.0-or-later
// The last step: linear Rec. 2020 to what screens and files take.
#pragma once

#include <functional>

#include "image/colour_space.h"
#include "image/image.h"

namespace tsukimi {

// Colours that the space cannot show move towards grey of the same luminance until they fit; light
// above white is white. 8 bit is dithered with a fixed triangular pattern of +-1 step, the same in
// every frame, so that gradients have no bands and nothing dances.
Encoded8 encode8(const Image& rec2020, ColourSpace space);
Encoded16 encode16(const Image& rec2020, ColourSpace space);
inline Encoded8 to_srgb8(const Image& rec2020) { return encode8(rec2020, ColourSpace::srgb); }
inline Encoded16 to_srgb16(const Image& rec2020) { return encode16(rec2020, ColourSpace::srgb); }

// Row by row, 0..1 before any rounding, from several threads: for who makes something else of it.
using EncodedRow = std::function<void(int y, const float* r, const float* g, const float* b)>;
void encode_rows(const Image& rec2020, ColourSpace space, const EncodedRow& row);

// Triangular noise in -1..1 for a row: 128 values, the second half like the first.
const float* dither_row(int y);

}  // namespace tsukimi
