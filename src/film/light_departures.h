// SPDX-License-Identifier: GPL-3.0-or-later
// What an eye looks for in motion: how far every part of every frame departs from its own smooth
// course over time, after all that is corrected. Measured in the pictures, not in what was found.
#pragma once

#include "film/light_plan.h"

namespace tsukimi {

// flicker: with what the plan takes out of it; else only the steps are levelled. Of each frame of
// the sequence CellLight::kCells stops, one frame after the other; 0 where nothing is known.
std::vector<float> light_departures(const Shoot& shoot, const LightGrids& grids,
                                    const LightPlan& plan, bool flicker);

}  // namespace tsukimi
