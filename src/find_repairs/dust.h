// SPDX-License-Identifier: GPL-3.0-or-later
// Dust on the sensor: found over the sequence.
//
// A grain darkens whatever lies behind it by the same factor, at the same place of the sensor, in
// every frame of an aperture. Three things tell it from the scene. The tripod is never quite still:
// what does not move with the scene lies on the sensor (motion/fixed_pattern.h), over structure
// too. A sky that drifts shows the same cloud beside it before and after
// (find_repairs/dust_moves.h). And where the scene is even, the middle of many frames shows just
// the grain. Dark spots that are round and equally deep through the sequence are dust.
#pragma once

#include "find_repairs/dust_stack.h"
#include "repairs/repair.h"

namespace tsukimi {

struct DustSpot {
  Point at;                     // of the upright frame
  std::vector<Shadow> shadows;  // for each aperture that enough frames have, ascending
  double radius() const { return shadows.front().radius; }
  double strength() const { return shadows.front().strength; }
};

// The strongest first. Frames that cannot be read are passed over; nothing from fewer than 24.
std::vector<DustSpot> find_dust(const std::vector<DustFrame>& frames, const Work& work = {});

// The shadow at a place that is known, about so large; nothing where light is not darker there.
std::vector<Shadow> measure_shadow(const std::vector<DustFrame>& frames, const Point& at,
                                   double radius, const Work& work = {});

// The map that they are found in: stops of what lies on the sensor, or, where the tripod did not
// move at all, of light against the surroundings; of the upright frame.
struct DustMap {
  Plane stops;
  std::vector<DustSpot> spots;
};
DustMap map_dust(const std::vector<DustFrame>& frames, const Work& work = {});

}  // namespace tsukimi
