// The last step: linear Rec. 2020 to sRGB for screen and files.
#pragma once

#include "image/image.h"

namespace tsukimi {

// Colours that sRGB cannot show move towards grey of the same luminance until they fit; light above
// white is white. 8 bit is dithered with a fixed triangular pattern of +-1 step, the same in every
// frame, so that gradients have no bands and nothing dances.
Encoded8 to_srgb8(const Image& rec2020);
Encoded16 to_srgb16(const Image& rec2020);

}  // namespace tsukimi
