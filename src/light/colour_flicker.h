// SPDX-License-Identifier: GPL-3.0-or-later
// Red, green and blue that flicker apart: lamps whose colours beat, white balance that a camera set
// anew for each still.
#pragma once

#include <array>
#include <vector>

#include "light/uneven.h"
#include "measure/cell_light.h"

namespace tsukimi {

struct Flicker;

// Of red, green and blue the stops that each frame's cells share on top of the light's flicker, and
// their slow change with them; NaN where a frame does not tell, empty where the colours do not
// flicker apart. grids: of the frames that flicker was found in, none missing; axis, stair: as for
// find_flicker.
using ColourFlicker = std::array<std::vector<double>, 3>;
ColourFlicker find_colour_flicker(const std::vector<const LightGrid*>& grids,
                                  const Flicker& flicker, const std::vector<double>& axis,
                                  const std::vector<double>& stair, Uneven colour);

}  // namespace tsukimi
