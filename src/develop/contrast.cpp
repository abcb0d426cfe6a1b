#include "develop/contrast.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

namespace tsukimi {

void apply_contrast(Image& image, double amount) {
  if (amount == 0) return;
  const float p = std::sqrt(0.18f);
  const float a = static_cast<float>(std::clamp(amount, -100.0, 100.0) / 100 * 1.5);
  const float black_slope = 1 - a * p, white_slope = 1 - a * (1 - p);
  parallel_rows(image.height, [&](int y0, int y1) {
    for (auto& plane : image.planes)
      for (int y = y0; y < y1; ++y) {
        float* row = plane.row(y);
        for (int x = 0; x < image.width; ++x) {
          const float in = row[x];
          const float v = std::sqrt(std::max(in, 0.0f));
          const float inside = v + a * v * (v - p) * (1 - v);
          const float curve = v > 1 ? 1 + (v - 1) * white_slope : inside;
          row[x] = in < 0 ? in * black_slope * black_slope : curve * curve;
        }
      }
  });
}

}  // namespace tsukimi
