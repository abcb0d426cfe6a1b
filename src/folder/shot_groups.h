// SPDX-License-Identifier: GPL-3.0-or-later
// Shots in a row that form sets: by the pauses between them, or by exposures that repeat.
#pragma once

#include <vector>

#include "folder/moments.h"

namespace tsukimi {

using Shots = std::vector<FrameInfo>;
using Pattern = std::vector<double>;                    // stops of a set's shots against its first
using ShotGroup = std::pair<std::size_t, std::size_t>;  // first, and one after the last

constexpr double kAlikeStops = 0.4;  // exposures that mean the same
constexpr double kLeastRange = 0.9;  // stops from the darkest to the brightest of a bracket

// Of shots [k, k + size); empty where one of them does not tell its exposure.
Pattern pattern_at(const Shots& shots, std::size_t k, std::size_t size);
bool alike(const Pattern& a, const Pattern& b);
double range_of(const Pattern& pattern);  // stops from the darkest to the brightest

// The pattern of this many shots that most groups of this size follow; empty where none has one.
Pattern usual_pattern(const Shots& shots, const std::vector<ShotGroup>& groups, std::size_t size);
// The pattern of this many shots that repeats over most of them, and how many sets it has; empty
// where none repeats.
Pattern best_pattern(const Shots& shots, std::size_t size, std::size_t& sets);

// Where pauses are of two kinds: a length between them, s; 0 where they are not.
double dividing_pause(const Shots& shots);
std::vector<ShotGroup> part_by_pause(const Shots& shots, double pause);

// Sets as `how` says.
std::vector<ShotGroup> groups_of(const Shots& shots, const Bracketing& how);

}  // namespace tsukimi
