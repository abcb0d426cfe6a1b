// SPDX-License-Identifier: GPL-3.0-or-later
// How much of a frame shines by itself: lamps and lit windows are brighter than their surroundings,
// and stay so while the light falls.
#pragma once

#include "proxy/proxy.h"

namespace tsukimi {

// The share of the cells (0..1) that are at least a stop brighter than the median of those round
// them. No measure of a single frame's look: a course over the frames tells when lamps come on.
double share_of_lamps(const LightGrid& grid);

}  // namespace tsukimi
