// SPDX-License-Identifier: GPL-3.0-or-later
// Bayer mosaic to RGB.
//
// Directional green with a-posteriori decision, after Menon, Andriani & Calvagno, "Demosaicing with
// directional filtering and a posteriori decision", IEEE TIP 16(1), 2007: green is interpolated
// along rows and along columns with second-order correction (Hamilton & Adams 1997), the direction
// whose colour differences vary less in a 5x5 window wins, and red and blue follow along that
// direction.
#pragma once

#include <array>
#include <cstdint>

#include "camera/hot_pixels.h"
#include "camera/mosaic.h"
#include "develop/clipped.h"
#include "image/image.h"

namespace tsukimi {

// What happens to the numbers of the mosaic while they are in the cache anyway.
struct BeforeDemosaic {
  std::array<float, 3> gains{1, 1, 1};  // white balance
  bool recover = false;                 // what clipped, see clipped.h
  const ClipGuide* guide = nullptr;     // by this; demosaic() makes it, if there is none
  const HotPixels* hot = nullptr;       // those of at least hot_limit are mended
  float hot_limit = 0;
};

// A part of the mosaic, in its pixels, at least 4 on each side; x and y are even.
struct MosaicPart {
  int x = 0, y = 0, width = 0, height = 0;
};

// To linear camera RGB of the same size. The mosaic must be at least 4x4.
Image demosaic(const Mosaic& mosaic, const BeforeDemosaic& before = {});

// A part of the same, to the top left of `out`, which has at least its size; what lies round the
// part takes part in it. On one thread.
void demosaic_part(const Mosaic& mosaic, const BeforeDemosaic& before, MosaicPart part, Image& out);

}  // namespace tsukimi
