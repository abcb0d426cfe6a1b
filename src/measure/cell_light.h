// SPDX-License-Identifier: GPL-3.0-or-later
// The light of every cell of a coarse grid over all frames, as flicker is looked for in it.
#pragma once

#include <vector>

#include "measure/steady_area.h"
#include "proxy/proxy.h"

namespace tsukimi {

constexpr float kNoiseFloor = 0.0006f;  // of clipping; what is darker says nothing

struct CellLight {
  static constexpr int kAcross = LightGrid::kColumns / 2, kDown = LightGrid::kRows / 2,
                       kCells = kAcross * kDown;
  int frames = 0;
  // log2 of light, frame by frame, row by row; NaN where a pixel of it is clipped or it lies in the
  // noise.
  std::vector<float> stops;
  std::vector<char> counts;  // of each cell: 1 where it lies in the areas
  const float* frame(int f) const { return stops.data() + static_cast<std::size_t>(f) * kCells; }
  // The middle of a cell, 0..1 over the upright frame.
  static double x_of(int cell) { return (cell % kAcross + 0.5) / kAcross; }
  static double y_of(int cell) { return (cell / kAcross + 0.5) / kDown; }
};

// Of what: of all light, or of one of the camera's colours.
enum class CellChannel { light, red, green, blue };

// grids: one per frame, nullptr where it is not measured. areas: which cells count, by their
// middle; those between which none lies: the nearest one. None: all of the picture.
CellLight cell_light(const std::vector<const LightGrid*>& grids,
                     const std::vector<SteadyArea>& areas,
                     CellChannel channel = CellChannel::light);

// log2 of one cell of one frame; NaN as above.
float cell_stops(const LightGrid& grid, int cell, CellChannel channel);

}  // namespace tsukimi
