// SPDX-License-Identifier: GPL-3.0-or-later
// Shots in a row that form sets: by the pauses between them, or by exposures that repeat.
#pragma once

#include <vector>

#include "folder/moments.h"

namespace tsukimi {

using Shots = std::vector<FrameInfo>;
using Pattern = std::vector<double>;                    // stops of a set's shots against its first
using ShotGroup = std::pair<std::size_t, std::size_t>;  // first, and one after the last

constexpr double kAlikeStops = 0.4;     // exposures that mean the same
constexpr std::size_t kFewestSets = 3;  // in which exposures are taken to repeat
constexpr double kLeastRange = 0.9;     // stops from the darkest to the brightest of a bracket
// The first of a set against the first of the one before, of that range: a camera that follows the
// dusk does not come back.
constexpr double kMostDrift = 0.6;

// Of shots [k, k + size); empty where one of them does not tell its exposure.
Pattern pattern_at(const Shots& shots, std::size_t k, std::size_t size);
bool alike(const Pattern& a, const Pattern& b);
double range_of(const Pattern& pattern);  // stops from the darkest to the brightest

// The pattern of this many shots that most groups of this size follow; empty where none has one.
Pattern usual_pattern(const Shots& shots, const std::vector<ShotGroup>& groups, std::size_t size);
// The pattern of this many shots that repeats over most of them, and how many sets it has; empty
// where none repeats.
Pattern best_pattern(const Shots& shots, std::size_t size, std::size_t& sets);

// s from the end of the shot before; NaN where a time is not known.
double pause_before(const Shots& shots, std::size_t k);
// A length between pauses within sets and those that part them, s; 0 where they are not clearly of
// two kinds (a clock of whole seconds may be off by one).
double between_pauses(double within, double between);
// The same of all pauses between shots.
double dividing_pause(const Shots& shots);
std::vector<ShotGroup> part_by_pause(const Shots& shots, double pause);

// Sets as `how` says.
std::vector<ShotGroup> groups_of(const Shots& shots, const Bracketing& how);

}  // namespace tsukimi
