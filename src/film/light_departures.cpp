// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/light_departures.h"

#include "base/parallel.h"
#include "light/cell_courses.h"

namespace tsukimi {

std::vector<float> light_departures(const Shoot& shoot, const LightGrids& grids,
                                    const LightPlan& plan, bool flicker) {
  constexpr std::size_t kCells = CellLight::kCells;
  std::vector<float> out(grids.size() * kCells, 0.0f);
  const std::vector<int> kept = kept_frames(shoot, std::min(grids.size(), plan.as_shot.size()));
  if (kept.empty()) return out;
  std::vector<FrameInfo> frames;
  std::vector<const LightGrid*> pointers;
  for (int i : kept) {
    frames.push_back(shoot.sequence.frames[i]);
    pointers.push_back(grids[i] ? &*grids[i] : nullptr);
  }
  CellLight light = cell_light(pointers, {});
  const LightPlan without = with_its_flicker(plan);
  parallel_ranges(static_cast<int>(kept.size()), 8, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const Light added = (flicker ? plan : without).light(kept[k]);
      float* stops = light.stops.data() + static_cast<std::size_t>(k) * kCells;
      for (int c = 0; c < CellLight::kCells; ++c)
        stops[c] += static_cast<float>(
            added.stops + (added.field.empty()
                               ? 0
                               : added.field.stops_at(CellLight::x_of(c), CellLight::y_of(c))));
    }
  });
  const std::vector<double> axis = time_axis(frames);
  CellCourses cells(light, axis, std::vector<double>(kept.size(), 0.0));
  if (cells.count() == 0) return out;
  cells.smooth(std::vector<double>(kept.size(), 1.0), shoot.decisions.deflicker.period);
  for (int k = 0; k < cells.frames(); ++k)
    for (int c = 0; c < cells.count(); ++c)
      if (cells.known(k, c))
        out[static_cast<std::size_t>(kept[k]) * kCells + cells.cell(c)] = cells.beyond(k, c);
  return out;
}

}  // namespace tsukimi
