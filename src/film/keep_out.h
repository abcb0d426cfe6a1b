// SPDX-License-Identifier: GPL-3.0-or-later
// What is in one frame only: planes, satellites, flashes, hot pixels.
#pragma once

#include "framing/geometry.h"

namespace tsukimi {

// Stars are where they were: what of some rows of `picture` is clearly brighter than `before`,
// those rows of the frame before it turned so that stars lie on stars, and as far as its light
// reaches round it, becomes as bright as that. Both linear.
void take_out_streaks(Image& picture, Span rows, const Image& before);

}  // namespace tsukimi
