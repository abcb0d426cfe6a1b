// SPDX-License-Identifier: GPL-3.0-or-later
// Light grids that follow the picture: where the camera moved, a cell sees the same thing in every
// frame, so that what crosses its border makes no flicker.
#pragma once

#include "film/measure_frames.h"
#include "motion/track.h"

namespace tsukimi {

// The grid of a frame, each cell where what the first frame has in it lies now; what lies outside
// the frame has no light, and so says nothing. move: FrameMotion::move.
LightGrid grid_in_place(const Proxy& proxy, const Similarity& move);

// The movement by which grids are to be placed: it is asked for and known, and a camera really
// moved; nullptr: grids stay as frames lie.
std::shared_ptr<const MotionTrack> track_for_light(const Shoot& shoot);

// By the shoot's movement, of every frame that has a grid, anew from its proxy. One that cannot be
// read keeps its own. Cancelled work leaves the rest as they are.
void place_grids(const Shoot& shoot, ProxyStore& store, LightGrids& grids, const Work& work);

}  // namespace tsukimi
