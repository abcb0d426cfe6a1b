// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/merge_plan.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "base/median.h"
#include "camera/moment.h"

namespace tsukimi {
namespace {

// The settings of a shot and of its frame.
using Settings = std::tuple<double, double, double, double, double, double>;

Settings settings_of(const FrameInfo& frame, const FrameInfo& other) {
  return {frame.shutter, frame.iso, frame.aperture, other.shutter, other.iso, other.aperture};
}

bool is_known(const FrameInfo& frame, const std::optional<LightGrid>& grid) {
  return frame.is_merged() && grid && grid->merged.stops.size() == frame.others.size();
}

void plan_stops(const Sequence& sequence, const LightGrids& grids, std::vector<MergeInfo>& out) {
  constexpr float kFarOff = 0.25f;  // stops from what is usual: it is the picture that changed
  // What was measured beyond what the exposures say.
  std::map<Settings, std::vector<double>> measured;
  const auto each = [&](const auto& fn) {
    for (std::size_t f = 0; f < out.size(); ++f) {
      const FrameInfo& frame = sequence.frames[f];
      if (!is_known(frame, grids[f])) continue;
      const std::vector<float> told = told_stops(frame);
      for (std::size_t k = 0; k < told.size(); ++k)
        fn(f, settings_of(frame, frame.others[k]), std::isnan(told[k]) ? 0.0f : told[k],
           grids[f]->merged.stops[k]);
    }
  };
  each([&](std::size_t, const Settings& settings, float told, float seen) {
    if (!std::isnan(seen)) measured[settings].push_back(seen - told);
  });
  std::map<Settings, float> usual;
  for (auto& [settings, apart] : measured)
    usual[settings] = static_cast<float>(median(std::move(apart)));
  each([&](std::size_t f, const Settings& settings, float told, float seen) {
    const auto known = usual.find(settings);
    const float here = told + (known == usual.end() ? 0.0f : known->second);
    out[f].stops.push_back(std::fabs(seen - here) < kFarOff ? seen : here);
  });
}

void plan_moving(const Sequence& sequence, const LightGrids& grids, std::vector<MergeInfo>& out) {
  constexpr int kReach = 2;  // moments over which it comes and goes
  std::vector<std::vector<std::uint8_t>> wide(out.size());
  for (std::size_t f = 0; f < out.size(); ++f)
    if (is_known(sequence.frames[f], grids[f])) wide[f] = widened(grids[f]->merged.moving);
  for (std::size_t f = 0; f < out.size(); ++f) {
    if (wide[f].empty()) continue;
    out[f].moving = wide[f];
    for (int by = -kReach; by <= kReach; ++by) {
      const auto g = static_cast<std::ptrdiff_t>(f) + by;
      if (by == 0 || g < 0 || g >= std::ssize(wide) || wide[g].empty()) continue;
      const int share = kReach + 1 - std::abs(by);
      for (std::size_t c = 0; c < wide[f].size(); ++c)
        out[f].moving[c] = std::max<std::uint8_t>(
            out[f].moving[c], static_cast<std::uint8_t>(wide[g][c] * share / (kReach + 1)));
    }
    if (std::ranges::all_of(out[f].moving, [](std::uint8_t v) { return v == 0; }))
      out[f].moving.clear();
  }
}

}  // namespace

std::vector<MergeInfo> plan_merging(const Sequence& sequence, const LightGrids& grids) {
  std::vector<MergeInfo> out(std::min(sequence.frames.size(), grids.size()));
  plan_stops(sequence, grids, out);
  plan_moving(sequence, grids, out);
  return out;
}

}  // namespace tsukimi
