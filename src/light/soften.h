// SPDX-License-Identifier: GPL-3.0-or-later
// An event in a part of the picture (lightning, a lamp that passes), as the light that it adds.
#pragma once

#include <vector>

#include "light/light.h"
#include "measure/cell_light.h"

namespace tsukimi {

// By how many stops a frame is brighter than those round it, as a smooth field; nowhere darker.
// Frames are given as stops of every cell (CellLight::kCells each, NaN where not known), after all
// that is corrected in them. No field where nothing can be told.
GainField event_field(const std::vector<float>& frame,
                      const std::vector<std::vector<float>>& round_it);

}  // namespace tsukimi
