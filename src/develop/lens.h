// Lens correction: distortion, vignetting and lateral colour, from a profile or by hand.
#pragma once

#include <memory>

#include "develop/parameters.h"
#include "frames/lens_profile.h"
#include "image/image.h"

namespace tsukimi {

bool corrects_lens(const Look& look, const LensMesh* profile);

// Moves every channel of a whole upright frame (camera RGB, linear) to where it belongs and gives
// back what the corners lost: Catmull-Rom, along the columns and then along the rows (Catmull &
// Smith, "3-D transformations of images in scanline order", 1980). Frames smaller than the mesh
// stay as they are. By hand: the distance r from the middle (1 at the corner) comes from r (1 + k
// (r^2 - 1)), |k| up to 0.12, so that corners stay; lateral colour sizes red and blue by up to 0.4
// %; vignetting gives or takes up to one stop in the corners, as r^2.
Image correct_lens(const Image& image, const Look& look, const LensMesh* profile);

}  // namespace tsukimi
