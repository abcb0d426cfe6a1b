// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/mosaic.h"

#include <algorithm>

namespace tsukimi {

void Mosaic::light_row(int y, float* out) const {
  if (merged) {
    std::copy_n(merged_row(y), width, out);
    return;
  }
  const std::uint16_t* in = row(y);
  const int p = place(0, y);
  const float b0 = black[p], b1 = black[p + 1], s0 = scale[p], s1 = scale[p + 1];
  const int pairs = width & ~1;
  for (int x = 0; x < pairs; x += 2) {
    out[x] = (static_cast<float>(in[x]) - b0) * s0;
    out[x + 1] = (static_cast<float>(in[x + 1]) - b1) * s1;
  }
  if (pairs < width) out[pairs] = (static_cast<float>(in[pairs]) - b0) * s0;
}

}  // namespace tsukimi
