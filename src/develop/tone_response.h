// SPDX-License-Identifier: GPL-3.0-or-later
// What a look makes of grey tones: what a wedge beside a ruler shows.
#pragma once

#include <vector>

#include "adjust/parameters.h"

namespace tsukimi {

// `count` (2 or more) tones evenly from black to white as they are displayed (sRGB, 0..1), after
// the look was applied to a ramp of them: by the same operations as to a picture.
std::vector<float> tone_response(const Look& look, int count);

}  // namespace tsukimi
