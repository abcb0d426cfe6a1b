// Lens correction: distortion, vignetting and lateral colour, from a profile or by hand.
#pragma once

#include <memory>

#include "adjust/parameters.h"
#include "camera/lens_profile.h"
#include "framing/warp.h"
#include "image/image.h"

namespace tsukimi {

bool corrects_lens(const Look& look, const LensMesh* profile);

// Moves every channel of camera RGB (linear) to where it belongs, gives back what the corners lost,
// and cuts the crop at the size of the result, all in one resampling. Source and result lie as in
// the file, crop and profile are upright. quick: for what is seen in motion (see Warp). By hand:
// the distance r from the middle (1 at the corner) comes from r (1 + k (r^2 - 1)), |k| up to 0.12,
// so that corners stay; lateral colour sizes red and blue by up to 0.4 %; vignetting gives or takes
// up to one stop in the corners, as r^2. covered: what of the source is the frame (a proxy may
// reach a little beyond).
Warp lens_warp(const Look& look, const LensMesh* profile, Size source, int orientation, Rect crop,
               Size result, bool quick = false, Rect covered = {});

// The same for a whole upright frame at its own size.
Image correct_lens(const Image& image, const Look& look, const LensMesh* profile);

}  // namespace tsukimi
