// Bayer mosaic to camera RGB.
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

// mosaic: linear, best white-balanced (equal channels on grey). cfa: channel at (0,0) (1,0) (0,1)
// (1,1). Same size out; the mosaic must be at least 4x4.
Image demosaic(const Plane& mosaic, std::array<std::uint8_t, 4> cfa);

}  // namespace tsukimi
