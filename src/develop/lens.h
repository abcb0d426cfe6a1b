// SPDX-License-Identifier: GPL-3.0-or-later
// Lens correction: distortion, vignetting and lateral colour, from a profile or by hand.
#pragma once

#include <memory>

#include "adjust/parameters.h"
#include "camera/lens_profile.h"
#include "framing/warp.h"
#include "image/image.h"

namespace tsukimi {

bool corrects_lens(const Look& look, const LensMesh* profile);

// Where the light of a pixel of an upright frame of this size comes from in it, and the gain that
// gives back what the lens took, by the profile and by hand. By hand: the distance r from the
// middle (1 at the corner) comes from r (1 + k (r^2 - 1)), |k| up to 0.12, so that corners stay;
// lateral colour sizes red and blue by up to 0.4 %; vignetting gives or takes up to one stop in the
// corners, as r^2.
WarpMesh::Node lens_at(const Look& look, const LensMesh* profile, double width, double height,
                       double x, double y);

}  // namespace tsukimi
