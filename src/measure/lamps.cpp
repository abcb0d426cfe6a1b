// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/lamps.h"

#include <algorithm>
#include <array>

namespace tsukimi {

double share_of_lamps(const LightGrid& grid) {
  constexpr int kReach = 3, kColumns = LightGrid::kColumns, kRows = LightGrid::kRows;
  constexpr float kStandsOut = 2, kLeastLight = 1e-4f;
  int found = 0;
  std::array<float, (2 * kReach + 1) * (2 * kReach + 1)> round;
  for (int y = 0; y < kRows; ++y)
    for (int x = 0; x < kColumns; ++x) {
      const float here = grid.light[static_cast<std::size_t>(y * kColumns + x)];
      if (here < kLeastLight) continue;
      std::size_t n = 0;
      for (int v = std::max(0, y - kReach); v <= std::min(kRows - 1, y + kReach); ++v)
        for (int u = std::max(0, x - kReach); u <= std::min(kColumns - 1, x + kReach); ++u)
          round[n++] = grid.light[static_cast<std::size_t>(v * kColumns + u)];
      const auto middle = round.begin() + static_cast<std::ptrdiff_t>(n / 2);
      std::nth_element(round.begin(), middle, round.begin() + static_cast<std::ptrdiff_t>(n));
      found += here > kStandsOut * std::max(*middle, kLeastLight);
    }
  return static_cast<double>(found) / LightGrid::kCells;
}

}  // namespace tsukimi
