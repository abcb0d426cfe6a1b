// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/cell_light.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/parallel.h"

namespace tsukimi {
namespace {

std::vector<char> cells_within(const std::vector<SteadyArea>& areas) {
  std::vector<char> out(CellLight::kCells, 1);
  if (areas.empty()) return out;
  bool any = false;
  for (int c = 0; c < CellLight::kCells; ++c) {
    out[static_cast<std::size_t>(c)] = takes_part(areas, CellLight::x_of(c), CellLight::y_of(c));
    any |= out[static_cast<std::size_t>(c)] != 0;
  }
  if (any) return out;
  // Too small to hold a cell's middle.
  auto place = [](double middle, int cells) {
    return std::clamp(static_cast<int>(middle * cells), 0, cells - 1);
  };
  for (const SteadyArea& area : areas) {
    if (area.leave_out) continue;
    const int column = place(area.box.x + area.box.w / 2, CellLight::kAcross),
              row = place(area.box.y + area.box.h / 2, CellLight::kDown);
    out[static_cast<std::size_t>(row * CellLight::kAcross + column)] = 1;
  }
  return out;
}

// Light is (R + 2 G + B) / 4.
float channel_of(const LightGrid& grid, int cell, float light, CellChannel channel) {
  const float red = grid.red_blue[static_cast<std::size_t>(cell)],
              blue = grid.red_blue[static_cast<std::size_t>(LightGrid::kColourCells + cell)];
  switch (channel) {
    case CellChannel::red:
      return red;
    case CellChannel::green:
      return 2 * light - (red + blue) / 2;
    case CellChannel::blue:
      return blue;
    case CellChannel::light:
      return light;
  }
  return light;
}

}  // namespace

// Of four cells of the grid, all of which must say something.
float cell_stops(const LightGrid& grid, int cell, CellChannel channel) {
  const int left = 2 * (cell % CellLight::kAcross), top = 2 * (cell / CellLight::kAcross);
  constexpr int kMostClipped = 5;  // of 255
  constexpr float kUnknown = std::numeric_limits<float>::quiet_NaN();
  float sum = 0;
  for (int i = 0; i < 4; ++i) {
    const auto k = static_cast<std::size_t>((top + i / 2) * LightGrid::kColumns + left + i % 2);
    if (!(grid.light[k] > kNoiseFloor) || grid.clipped[k] > kMostClipped) return kUnknown;
    sum += grid.light[k];
  }
  if (channel == CellChannel::light) return std::log2(sum / 4);
  const float one = channel_of(grid, cell, sum / 4, channel);
  return one > kNoiseFloor ? std::log2(one) : kUnknown;
}

CellLight cell_light(const std::vector<const LightGrid*>& grids,
                     const std::vector<SteadyArea>& areas, CellChannel channel) {
  CellLight out;
  out.frames = static_cast<int>(grids.size());
  out.counts = cells_within(areas);
  out.stops.resize(grids.size() * CellLight::kCells);
  parallel_ranges(out.frames, 16, [&](int first, int last) {
    for (int f = first; f < last; ++f) {
      const LightGrid* grid = grids[static_cast<std::size_t>(f)];
      float* to = out.stops.data() + static_cast<std::size_t>(f) * CellLight::kCells;
      for (int c = 0; c < CellLight::kCells; ++c)
        to[c] = grid ? cell_stops(*grid, c, channel) : std::numeric_limits<float>::quiet_NaN();
    }
  });
  return out;
}

}  // namespace tsukimi
