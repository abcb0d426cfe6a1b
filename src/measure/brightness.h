// SPDX-License-Identifier: GPL-3.0-or-later
// Brightness of every frame of a sequence, in stops.
//
// Scenes change: the sea falls dark, windows light up, clouds drift. So frames are compared with
// their neighbours: the difference of two frames is the trimmed mean of log2(light) differences
// over the grid cells that are neither clipped nor in the noise in either of them. Differences over
// 1, 2 and 4 frames are joined by robust least squares, so that one ruined frame does not shift all
// that follow.
#pragma once

#include <optional>
#include <vector>

#include "framing/geometry.h"
#include "proxy/proxy.h"

namespace tsukimi {

constexpr float kNoiseFloor = 0.0006f;  // of clipping; cells darker than this say nothing

// grids: one per frame, nothing where a frame could not be read. area: only cells inside it count.
// Result: stops relative to clipping; NaN for frames without a grid or with nothing measurable.
std::vector<double> measure_brightness(const std::vector<const LightGrid*>& grids,
                                       const std::optional<Rect>& area);

// Share of the picture (0..1) with clipped pixels.
double clipped_share(const LightGrid& grid);

}  // namespace tsukimi
