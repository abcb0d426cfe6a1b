// SPDX-License-Identifier: GPL-3.0-or-later
// How each frame is turned by the stars that are seen in it.
#pragma once

#include "sky/sky_fit.h"

namespace tsukimi {

// Of a fit whose lens, pole and `left` are known: the turns of its frames. stars: of each frame the
// places of those that go as stars do, fractions of the frame. From the frame with the most of them
// on to both ends: stars that come in join those that are known. Where a frame is off the clock by
// no more than its stars are exact it is as its neighbours are; so a camera that stands, stands.
void turn_frames(const std::vector<StarFrame>& frames, const std::vector<std::vector<Point>>& stars,
                 SkyFit& fit);

}  // namespace tsukimi
