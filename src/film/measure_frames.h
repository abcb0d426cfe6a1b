// SPDX-License-Identifier: GPL-3.0-or-later
// Measuring every frame of a shoot: its light, what speaks for a suspect, and where the picture
// lies.
#pragma once

#include "document/shoot/shoot.h"
#include "measure/suspects.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// One entry per frame of the sequence; no grid where a frame is not usable or not read yet.
using LightGrids = std::vector<std::optional<LightGrid>>;

// What measuring keeps of every frame, about 32 kB each, and what the checks found.
struct Measured {
  LightGrids grids;
  std::vector<std::optional<FrameSigns>> signs;
  std::vector<Suspect> suspects;  // of all frames, also of those that are set aside already
  // By which the grids were placed (film/grid_in_place.h); nullptr: they are as the frames lie.
  std::shared_ptr<const MotionTrack> in_place;
};

// Reads (or makes) every frame's proxy in parallel and marks frames that cannot be read in
// shoot.sequence; finds suspects, or remembers them (checks.h). What is `known` is not measured
// again (a camera that is still shooting adds frames at the end; a frame that was away may be
// back). Cancelled work leaves the rest without a grid. Where the movement of the camera is asked
// for and known, grids follow the picture.
Measured measure_frames(Shoot& shoot, ProxyStore& store, const Work& work = {},
                        Measured known = {});

// The same for who needs only the light; measures the movement too where it is asked for.
LightGrids measure_light(Shoot& shoot, ProxyStore& store, const Work& work = {});

}  // namespace tsukimi
