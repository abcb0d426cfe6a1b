// SPDX-License-Identifier: GPL-3.0-or-later
// By what the shots of each moment are merged, over the sequence.
//
// Stops: as measured in the moment. A shutter that is always a little off is merged by what it does
// and not by what it says; what cannot be measured in a moment (all of it dark or clipped), or is
// far off, is as usual for these settings.
// What moves: as found, with a cell's width round it, and rising and falling over the moments
// before and after, so that no part of the picture goes from several shots to one at once.
#pragma once

#include <vector>

#include "film/measure_frames.h"
#include "folder/sequence.h"

namespace tsukimi {

// Of every frame; empty where nothing is merged, or its grid is not known.
std::vector<MergeInfo> plan_merging(const Sequence& sequence, const LightGrids& grids);

}  // namespace tsukimi
