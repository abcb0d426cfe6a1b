// White balance, camera colour to working space, and exposure.
#pragma once

#include "camera/camera_colour.h"
#include "image/image.h"
#include "proxy/proxy.h"

namespace tsukimi {

// Camera RGB, in place: gains, and what clipped (clipped.h). A mosaic gets the same within
// demosaic().
void balance(Image& camera, const WhiteBalance& wb);

// Rows y0 <= y < y1 of balanced camera RGB, in place: to linear Rec. 2020 times 2^stops (look,
// levelling and deflicker together).
void to_working_space(Image& balanced, int y0, int y1, const WhiteBalance& wb, double stops);

// A proxy's numbers, balanced, and on to linear Rec. 2020.
Image balanced(const Proxy& proxy, const WhiteBalance& wb);
Image in_working_space(const Proxy& proxy, const WhiteBalance& wb, double stops);

}  // namespace tsukimi
