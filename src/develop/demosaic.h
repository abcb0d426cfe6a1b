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

#include "image/image.h"

namespace tsukimi {

// White balance goes with the mosaic while it is in the cache anyway: gains per channel, held at
// `clip`, so that a clipped sunset stays white.
struct MosaicColour {
  std::array<float, 3> gains{1, 1, 1};
  float clip = 1e9f;
};

// A part of the mosaic, in its pixels; even numbers, at least 4 on each side.
struct MosaicPart {
  int x = 0, y = 0, width = 0, height = 0;
};

// mosaic: linear. cfa: channel at (0,0) (1,0) (0,1) (1,1). The mosaic must be at least 4x4.
Image demosaic(const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa,
               const MosaicColour& colour = {});

// A part of the same, to the top left of `out`, which has at least its size; what lies round the
// part takes part in it. On one thread.
void demosaic_part(const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa,
                   const MosaicColour& colour, MosaicPart part, Image& out);

}  // namespace tsukimi
