// SPDX-License-Identifier: GPL-3.0-or-later
// What people built round the harbour, laid out from a seed.
#pragma once

#include <vector>

#include "sim/scene.h"

namespace tsukimi::sim {

struct House {
  float x0, x1, top, foot;  // walls
  float roof;               // height of the roof above the walls
  bool gable;               // gable towards us, else the long side
  Rgb wall, tiles;
  float chimney;  // x, or < 0
};

struct Crane {
  float x, foot, pivot, tip_x, tip_y, scale;
  Rgb paint;
};

struct Village {
  std::vector<House> houses;  // front to back
  std::vector<Crane> cranes;
  std::vector<Lamp> lamps;
  std::vector<Window> windows;
};

Village build_village(std::uint32_t seed);

constexpr float kLighthouseX = 1.315f, kLighthouseFoot = 0.472f, kLanternY = 0.306f;

}  // namespace tsukimi::sim
