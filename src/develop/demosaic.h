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

#include "develop/rows.h"
#include "image/image.h"

namespace tsukimi {

// What goes with the mosaic while it is in the cache anyway: white balance before (gains per
// channel, held at `clip`, so that a clipped sunset stays white), a matrix after.
struct MosaicColour {
  std::array<float, 3> gains{1, 1, 1};
  float clip = 1e9f;
  Mat3f matrix{Mat3{}};
};

// A part of the mosaic, in its pixels; even numbers, at least 4 on each side.
struct MosaicPart {
  int x = 0, y = 0, width = 0, height = 0;
};

// mosaic: linear. cfa: channel at (0,0) (1,0) (0,1) (1,1). Same size out as the part (none: all of
// it); what lies round the part takes part in it. The mosaic must be at least 4x4.
Image demosaic(const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa,
               const MosaicColour& colour = {}, MosaicPart part = {});

}  // namespace tsukimi
