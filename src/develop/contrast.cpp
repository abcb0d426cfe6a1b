#include "develop/contrast.h"

#include <algorithm>
#include <cmath>

#include "image/fast_math.h"
#include "image/parallel.h"

namespace tsukimi {
namespace {

TSUKIMI_SIMD void contrast_row(float* __restrict row, int width, float a, float p,
                               float black_slope, float white_slope) {
  for (int x = 0; x < width; ++x) {
    const float in = row[x];
    const float v = std::sqrt(in > 0 ? in : 0.0f);
    const float inside = v + a * v * (v - p) * (1 - v);
    const float above = 1 + (v - 1) * white_slope;
    const float curve = v > 1 ? above : inside;
    const float below = in * black_slope * black_slope;
    row[x] = in < 0 ? below : curve * curve;
  }
}

}  // namespace

void apply_contrast(Image& image, double amount) {
  if (amount == 0) return;
  const float p = std::sqrt(0.18f);
  const float a = static_cast<float>(std::clamp(amount, -100.0, 100.0) / 100 * 1.5);
  const float black_slope = 1 - a * p, white_slope = 1 - a * (1 - p);
  parallel_rows(image.height, [&](int y0, int y1) {
    for (auto& plane : image.planes)
      for (int y = y0; y < y1; ++y)
        contrast_row(plane.row(y), image.width, a, p, black_slope, white_slope);
  });
}

}  // namespace tsukimi
