// SPDX-License-Identifier: GPL-3.0-or-later
// Exposure steps of frames whose metadata do not tell any: looked for in their brightness.
#pragma once

#include <vector>

namespace tsukimi {

// The camera's stair of gain in stops, a multiple of a third for every frame, from 0: of all ways
// to put steps of up to three stops between the frames the one under which the light's slope
// changes least, each step at a price (a beam search; every way is followed by a Kalman filter of
// brightness and slope). A lone frame is no step. axis: place of each frame in time, in intervals.
// brightness: NaN where unknown.
std::vector<double> find_steps(const std::vector<double>& axis,
                               const std::vector<double>& brightness);

}  // namespace tsukimi
