// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/colour_flicker.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/median.h"
#include "base/parallel.h"
#include "light/flicker.h"

namespace tsukimi {
namespace {

// RMS of what one colour has from frame to frame against all light, stops, by the steadiest cells:
// the middle of three frames against the others, of which independent values have sqrt(1.5) times
// as much.
double beats(const std::vector<const LightGrid*>& grids, const Flicker& flicker,
             CellChannel channel) {
  constexpr int kCells = 300;
  std::vector<int> cells(CellLight::kCells);
  std::iota(cells.begin(), cells.end(), 0);
  std::ranges::stable_sort(cells, std::greater<>(), [&](int c) { return flicker.steady[c]; });
  cells.resize(kCells);
  const int n = static_cast<int>(grids.size());
  std::vector<float> apart(static_cast<std::size_t>(n) * kCells);
  std::vector<double> common(static_cast<std::size_t>(n), 0.0);
  parallel_ranges(n, 16, [&](int first, int last) {
    for (int f = first; f < last; ++f)
      for (int k = 0; k < kCells; ++k)
        apart[static_cast<std::size_t>(f) * kCells + k] =
            cell_stops(*grids[f], cells[k], channel) -
            cell_stops(*grids[f], cells[k], CellChannel::light);
  });
  parallel_ranges(n - 2, 16, [&](int first, int last) {
    std::vector<double> seen;
    for (int f = first + 1; f <= last; ++f) {
      seen.clear();
      const float* here = apart.data() + static_cast<std::size_t>(f) * kCells;
      for (int k = 0; k < kCells; ++k)
        if (const float v = here[k] - 0.5f * (here[k - kCells] + here[k + kCells]); v == v)
          seen.push_back(v / std::sqrt(1.5));
      common[f] = std::fabs(median(seen));
    }
  });
  return kSigmaPerMad * median(std::vector<double>(common.begin() + 1, common.end() - 1));
}

// In an event (lightning) the factor of all light and a colour's may be of different parts of the
// picture: such frames tell nothing.
void without_events(std::vector<double>& course, const std::vector<double>& axis) {
  constexpr double kPeriod = 20, kEvent = 6;  // frames; robust sigmas
  const std::vector<double> fast = fast_taken_out(course, axis, kPeriod);
  std::vector<double> sizes;
  for (double v : fast) sizes.push_back(std::fabs(v));
  const double most = kEvent * kSigmaPerMad * median(std::move(sizes));
  for (std::size_t f = 0; f < course.size(); ++f)
    if (std::fabs(fast[f]) > most) course[f] = std::numeric_limits<double>::quiet_NaN();
}

}  // namespace

ColourFlicker find_colour_flicker(const std::vector<const LightGrid*>& grids,
                                  const Flicker& flicker, const std::vector<double>& axis,
                                  const std::vector<double>& stair, Uneven colour) {
  if (colour == Uneven::off || flicker.course.empty()) return {};
  if (colour == Uneven::automatic &&
      std::max(beats(grids, flicker, CellChannel::red), beats(grids, flicker, CellChannel::blue)) <
          kLeastFlicker)
    return {};
  ColourFlicker out;
  for (const CellChannel channel : {CellChannel::red, CellChannel::green, CellChannel::blue}) {
    CellLight cells = cell_light(grids, {}, channel);
    remove_shapes(cells, flicker.shapes);
    const Flicker one = find_flicker(cells, axis, stair, Uneven::off);
    if (one.course.empty()) return {};
    auto& course = out[static_cast<int>(channel) - static_cast<int>(CellChannel::red)];
    for (std::size_t f = 0; f < grids.size(); ++f)
      course.push_back(one.course[f] - flicker.course[f]);
    without_events(course, axis);
  }
  return out;
}

}  // namespace tsukimi
