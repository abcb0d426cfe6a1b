// SPDX-License-Identifier: GPL-3.0-or-later
// What floats: the ferry that comes and goes, and boats at their moorings.
#pragma once

#include "sim/scene.h"

namespace tsukimi::sim {

struct Vessel {
  float x, waterline, scale;
  bool ferry, facing_left;
  Rgb hull, upper;
};

// The vessels in sight at a moment, back to front.
std::vector<Vessel> vessels_at(double progress, double seconds, std::uint32_t seed);

// What a vessel is at a scene point above its waterline; cover 0 beside it. `light` gets the lamps
// and cabin windows that shine once they are on.
Surface paint_vessel(const Vessel& vessel, float x, float y, Rgb& light);

float vessel_half_width(const Vessel& vessel);
float vessel_height(const Vessel& vessel);

}  // namespace tsukimi::sim
