// White balance, camera colour to working space, and exposure, for pixels that hold all three
// channels: one multiplication per pixel. (A mosaic gets the same within demosaic().)
#pragma once

#include "frames/camera_colour.h"
#include "image/image.h"

namespace tsukimi {

// Camera RGB, in place: balanced, held at the balance's clip level (a clipped sunset stays white
// instead of turning magenta), then to linear Rec. 2020, times 2^stops (look, levelling and
// deflicker together).
void balance_to_working_space(Image& camera, const WhiteBalance& wb, double stops);

// The matrix of it: balanced camera RGB to linear Rec. 2020 times 2^stops.
Mat3 exposed_matrix(const WhiteBalance& wb, double stops);

}  // namespace tsukimi
