// SPDX-License-Identifier: GPL-3.0-or-later
// Where key frames belong: at both ends and where the brightness curve bends.
#pragma once

#include <vector>

namespace tsukimi {

// curve: smooth brightness per frame, stops. Splits where a straight line misses the curve most
// (Ramer 1972; Douglas & Peucker 1973), until no part misses by more than `tolerance` stops or
// there are `most` key frames. there: those that stand already, ascending; none: both ends.
// Ascending frame indices with them. New ones lie least_apart() from all others.
std::vector<int> place_keys(const std::vector<double>& curve, int most, double tolerance,
                            std::vector<int> there = {});
int least_apart(int frames);  // 8 % of the sequence; of a handful of frames: 1

}  // namespace tsukimi
