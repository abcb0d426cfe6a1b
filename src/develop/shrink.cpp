// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/shrink.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

namespace tsukimi {

constexpr int kSmall = 240, kBaseRadius = 8;

int base_radius(Size small) {
  const double scale = static_cast<double>(std::max(small.width, small.height)) / kSmall;
  return std::max(1, static_cast<int>(std::lround(kBaseRadius * scale)));
}

Image shrink(const Image& image) {
  const double scale =
      std::min(1.0, static_cast<double>(kSmall) / std::max(image.width, image.height));
  const int w = std::max(1, static_cast<int>(std::lround(image.width * scale))),
            h = std::max(1, static_cast<int>(std::lround(image.height * scale)));
  Image out(w, h);
  std::vector<int> edges(w + 1);
  for (int x = 0; x <= w; ++x)
    edges[x] = static_cast<int>(static_cast<std::int64_t>(x) * image.width / w);
  parallel_ranges(h, 4, [&](int y0, int y1) {
    std::vector<float> lines[3];
    for (auto& line : lines) line.resize(image.width);
    for (int y = y0; y < y1; ++y) {
      const int a = static_cast<int>(static_cast<std::int64_t>(y) * image.height / h),
                b = std::max(a + 1,
                             static_cast<int>(static_cast<std::int64_t>(y + 1) * image.height / h));
      for (int c = 0; c < 3; ++c) {
        float* line = lines[c].data();
        std::copy_n(image.planes[c].row(a), image.width, line);
        for (int j = a + 1; j < b; ++j) {
          const float* src = image.planes[c].row(j);
          for (int x = 0; x < image.width; ++x) line[x] += src[x];
        }
      }
      for (int x = 0; x < w; ++x) {
        const int p = edges[x], q = std::max(p + 1, edges[x + 1]);
        float red = 0, green = 0, blue = 0;
        for (int i = p; i < q; ++i) red += lines[0][i], green += lines[1][i], blue += lines[2][i];
        const float share = 1 / static_cast<float>((q - p) * (b - a));
        out.planes[0].at(x, y) = red * share;
        out.planes[1].at(x, y) = green * share;
        out.planes[2].at(x, y) = blue * share;
      }
    }
  });
  return out;
}

}  // namespace tsukimi
