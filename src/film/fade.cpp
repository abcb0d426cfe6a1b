// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/fade.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

namespace tsukimi {

void fade(Image& picture, double amount) {
  if (amount == 0) return;
  // 1 at no fade, 0 at the end: stops that run evenly, bent so that they end in nothing.
  const double left = std::exp2(-kFadeStops * std::fabs(amount)), end = std::exp2(-kFadeStops);
  const auto kept = static_cast<float>((left - end) / (1 - end));
  const float gain = amount < 0 ? kept : static_cast<float>(std::exp2(kFadeStops * amount)),
              lift = amount < 0 ? 0.0f
                                : static_cast<float>((std::exp2(kFadeStops * amount) - 1) /
                                                     (std::exp2(kFadeStops) - 1));
  parallel_rows(picture.height, [&](int y0, int y1) {
    for (auto& plane : picture.planes)
      for (int y = y0; y < y1; ++y) {
        float* row = plane.row(y);
        for (int x = 0; x < picture.width; ++x) row[x] = gain * row[x] + lift;
      }
  });
}

}  // namespace tsukimi
