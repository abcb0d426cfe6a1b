// SPDX-License-Identifier: GPL-3.0-or-later
// Brightness of every frame of a sequence, in stops.
//
// Scenes change: the sea falls dark, windows light up, clouds drift. So frames are compared with
// their neighbours: the difference of two frames is the trimmed mean of log2(light) differences
// over the cells that are neither clipped nor in the noise in either of them. Differences over
// 1, 2 and 4 frames are joined by robust least squares, so that one ruined frame does not shift all
// that follow.
#pragma once

#include <vector>

#include "measure/cell_light.h"

namespace tsukimi {

// Result: stops relative to clipping; NaN for frames that were not measured, or in which no cell
// says anything.
std::vector<double> measure_brightness(const CellLight& cells);

// Share of the picture (0..1) with clipped pixels.
double clipped_share(const LightGrid& grid);

}  // namespace tsukimi
