// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/relative_light.h"

#include <algorithm>

#include "image/fast_math.h"
#include "image/guided.h"

namespace tsukimi {

RelativeLight relative_light(const Image& rgb, int reach, const Plane* counts) {
  constexpr float kBrightestKnown = 0.9f;
  const int w = rgb.width, h = rgb.height;
  RelativeLight out{{w, h}, {w, h}, {w, h}};
  for (std::size_t i = 0; i < out.light.data.size(); ++i) {
    const float r = rgb.planes[0].data[i], g = rgb.planes[1].data[i], b = rgb.planes[2].data[i],
                light = 0.25f * (r + 2 * g + b);
    out.light.data[i] = std::max(light, 0.0f);
    out.known.data[i] =
        light > kDarkestKnown && std::max({r, g, b}) < kBrightestKnown ? 1.0f : 0.0f;
    out.stops.data[i] = fast_log2(std::max(light, kDarkestKnown));
  }
  if (!counts) {
    const Plane around = box_mean(out.stops, reach);
    for (std::size_t i = 0; i < out.stops.data.size(); ++i) out.stops.data[i] -= around.data[i];
    return out;
  }
  for (std::size_t i = 0; i < out.stops.data.size(); ++i) {
    out.stops.data[i] *= counts->data[i];
    out.known.data[i] *= counts->data[i];
  }
  const Plane around = box_mean(out.stops, reach), share = box_mean(*counts, reach);
  for (std::size_t i = 0; i < out.stops.data.size(); ++i)
    out.stops.data[i] =
        counts->data[i] > 0 ? out.stops.data[i] - around.data[i] / share.data[i] : 0.0f;
  return out;
}

}  // namespace tsukimi
