// SPDX-License-Identifier: GPL-3.0-or-later
// Stars in a picture: small points that stand clear of what is round them.
#pragma once

#include "image/image.h"
#include "sky/sky_fit.h"

namespace tsukimi {

// light: linear, any unit. Brightest first, no more than `most`. A point is a star when it stands
// above the noise of its surroundings, is no larger than a few pixels and not an edge; lamps and
// windows are found too: that they do not turn, the fit finds out.
std::vector<SeenStar> find_stars(const Plane& light, int most = 500);

}  // namespace tsukimi
