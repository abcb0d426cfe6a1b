// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/veil.h"

#include <vector>

namespace tsukimi {

void apply_veil(const Rows& rows, int y, const LocalAmounts& amounts) {
  constexpr float kColour[3] = {0.62f, 0.24f, 0.15f};  // coral
  constexpr float kMost = 0.5f;                        // the picture stays to be seen
  thread_local std::vector<float> mask;
  mask.resize(static_cast<std::size_t>(rows.width));
  amounts.veil(y, mask.data());
  float* const channels[3] = {rows.r, rows.g, rows.b};
  for (int c = 0; c < 3; ++c)
    for (int x = 0; x < rows.width; ++x)
      channels[c][x] += kMost * mask[static_cast<std::size_t>(x)] * (kColour[c] - channels[c][x]);
}

}  // namespace tsukimi
