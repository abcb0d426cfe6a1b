// SPDX-License-Identifier: GPL-3.0-or-later
// White balance, camera colour to working space, and exposure.
#pragma once

#include "camera/camera_colour.h"
#include "framing/geometry.h"
#include "image/image.h"
#include "light/light.h"
#include "proxy/proxy.h"

namespace tsukimi {

// Camera RGB, in place: gains, and what clipped (clipped.h). A mosaic gets the same within
// demosaic().
void balance(Image& camera, const WhiteBalance& wb);

// Stops of look, levelling and deflicker together, and of the camera's channels on top. What light
// does to parts of the frame is in the mesh (placing.h).
struct Exposure {
  double stops = 0;
  std::array<double, 3> channels{};
};

// A tile of balanced camera RGB, in place: to linear Rec. 2020, exposed.
void to_working_space(Image& balanced, const Tile& tile, const WhiteBalance& wb,
                      const Exposure& exposure);

// A proxy's numbers, balanced, and on to linear Rec. 2020.
Image balanced(const Proxy& proxy, const WhiteBalance& wb);
Image in_working_space(const Proxy& proxy, const WhiteBalance& wb, const Exposure& exposure);

}  // namespace tsukimi
