// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/soften.h"

#include <algorithm>
#include <numeric>

#include "base/median.h"
#include "light/series_fit.h"

namespace tsukimi {

GainField event_field(const std::vector<float>& frame,
                      const std::vector<std::vector<float>>& round_it) {
  std::vector<float> brighter(CellLight::kCells, 0.0f);
  std::vector<char> known(CellLight::kCells, 0);
  float most = 0;
  for (int c = 0; c < CellLight::kCells; ++c) {
    std::vector<double> others;
    for (const auto& one : round_it)
      if (one[c] == one[c]) others.push_back(one[c]);
    if (others.empty() || !(frame[c] == frame[c])) continue;
    known[c] = 1;
    brighter[c] = std::max(0.0f, frame[c] - static_cast<float>(median(std::move(others))));
    most = std::max(most, brighter[c]);
  }
  if (most == 0) return {};
  // What is clipped in it is at least as bright as the brightest that is not; what is dark in all
  // frames says nothing.
  std::vector<double> weights(CellLight::kCells);
  for (int c = 0; c < CellLight::kCells; ++c) {
    const bool clipped = !known[c] && std::ranges::any_of(round_it, [c](const auto& one) {
      return one[c] == one[c];
    });
    if (clipped) brighter[c] = most;
    weights[c] = known[c] || clipped ? 1 : 0;
  }
  constexpr double kSize = 2;  // stops: what a coefficient may have, beside a stop a cell
  std::vector<int> cells(CellLight::kCells);
  std::iota(cells.begin(), cells.end(), 0);
  const Series fit = SeriesFit(cells, weights, kSize).of(brighter);
  return {kPartAcross, kPartDown, {fit.begin(), fit.end()}, {}};
}

}  // namespace tsukimi
