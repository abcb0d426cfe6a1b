// SPDX-License-Identifier: GPL-3.0-or-later
// How the frames of a stack lie against each other: shifted by the camera's wobble, and in parts of
// the picture by what drifts there, such as clouds.
#pragma once

#include "find_repairs/dust_stack.h"
#include "motion/fixed_pattern.h"
#include "motion/layers.h"

namespace tsukimi {

struct DustMoves {
  // Of each frame, to the one after it; not known where the next shot is missing or fits badly.
  std::vector<Shift> shifts;
  // Of each run of frames, of each block of the picture (motion/layers.h): how far what is seen
  // there goes by itself from one frame to the next; pixels.
  std::vector<std::vector<BlockMove>> drifts;
  std::vector<std::size_t> run;  // of each frame
};
DustMoves measure_moves(const DustStack& stack, const Work& work);

// What lies on the sensor, by the tripod's movement, of each of some parts of the frames: three
// frames of a part that follow each other count. part: of each frame, 0..parts; -1: none.
std::vector<FixedPattern> fixed_patterns(const DustStack& stack, const DustMoves& moves,
                                         const std::vector<int>& part, int parts, const Work& work);

// The light of some frames against how the same things are seen in frames before and after, when
// they have gone on so far that another place of the sensor sees them: nothing but what lies on the
// sensor is left. Not known where nothing goes far enough.
Layered passing(const DustStack& stack, const DustMoves& moves, const std::vector<int>& frames,
                const Work& work);

}  // namespace tsukimi
