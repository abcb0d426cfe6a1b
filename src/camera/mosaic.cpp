#include "camera/mosaic.h"

#include <algorithm>

namespace tsukimi {

void Mosaic::light_row(int y, float* out) const {
  const std::uint16_t* in = row(y);
  const int p = place(0, y);
  const float b0 = black[p], b1 = black[p + 1], s0 = scale[p], s1 = scale[p + 1];
  for (int x = 0; x < width; x += 2) {
    out[x] = (static_cast<float>(in[x]) - b0) * s0;
    out[x + 1] = (static_cast<float>(in[x + 1]) - b1) * s1;
  }
}

Mosaic mosaic_of(const Plane& light, const std::array<std::uint8_t, 4>& cfa) {
  constexpr float kSteps = 60000, kBlack = 1800;
  auto numbers = std::make_shared<Pixels<std::uint16_t>>(light.data.size());
  for (std::size_t i = 0; i < light.data.size(); ++i)
    (*numbers)[i] = static_cast<std::uint16_t>(
        std::clamp(light.data[i] * kSteps + kBlack + 0.5f, 0.0f, 65535.0f));
  Mosaic out{light.width, light.height, cfa};
  out.black.fill(kBlack);
  out.scale.fill(1 / kSteps);
  out.stride = static_cast<std::size_t>(light.width);
  out.numbers = {numbers, numbers->data()};
  return out;
}

}  // namespace tsukimi
