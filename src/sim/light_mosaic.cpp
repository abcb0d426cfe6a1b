// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/light_mosaic.h"

#include <algorithm>

namespace tsukimi::sim {

tsukimi::Mosaic mosaic_of(const Plane& light, const std::array<std::uint8_t, 4>& cfa) {
  constexpr float kSteps = 60000, kDark = 1800;
  auto numbers = std::make_shared<Pixels<std::uint16_t>>(light.data.size());
  for (std::size_t i = 0; i < light.data.size(); ++i)
    (*numbers)[i] = static_cast<std::uint16_t>(
        std::clamp(light.data[i] * kSteps + kDark + 0.5f, 0.0f, 65535.0f));
  tsukimi::Mosaic out{light.width, light.height, cfa};
  out.black.fill(kDark);
  out.scale.fill(1 / kSteps);
  out.stride = static_cast<std::size_t>(light.width);
  out.numbers = {numbers, numbers->data()};
  return out;
}

}  // namespace tsukimi::sim
