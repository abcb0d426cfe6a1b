// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/keep_out.h"

#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "base/parallel.h"

namespace tsukimi {
namespace {

Plane light_of(const Image& image, Span rows) {
  Plane out(image.width, rows.count());
  parallel_rows(rows.count(), [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const int from = rows.first + y;
      const float *r = image.planes[0].row(from), *g = image.planes[1].row(from),
                  *b = image.planes[2].row(from);
      float* to = out.row(y);
      for (int x = 0; x < image.width; ++x) to[x] = 0.25f * (r[x] + 2 * g[x] + b[x]);
    }
  });
  return out;
}

// The lightest within so many pixels, along rows and then along columns.
Plane lightest_near(const Plane& in, int reach) {
  Plane across(in.width, in.height), out(in.width, in.height);
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float* from = in.row(y);
      float* to = across.row(y);
      for (int x = 0; x < in.width; ++x) {
        float most = from[x];
        for (int i = std::max(0, x - reach); i <= std::min(in.width - 1, x + reach); ++i)
          most = std::max(most, from[i]);
        to[x] = most;
      }
    }
  });
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float* to = out.row(y);
      std::copy_n(across.row(y), in.width, to);
      for (int j = std::max(0, y - reach); j <= std::min(in.height - 1, y + reach); ++j) {
        const float* from = across.row(j);
        for (int x = 0; x < in.width; ++x) to[x] = std::max(to[x], from[x]);
      }
    }
  });
  return out;
}

// Of the difference of two frames, by places spread evenly over them.
double noise_of(const Plane& a, const Plane& b) {
  std::vector<double> off;
  for (std::size_t i = 0; i < a.data.size(); i += 97)
    off.push_back(std::fabs(a.data[i] - b.data[i]));
  return kSigmaPerMad * median(off);
}

}  // namespace

void take_out_streaks(Image& picture, Span rows, const Image& before) {
  constexpr float kBrighter = 1.12f;
  constexpr double kNoise = 4;
  constexpr int kStar = 1, kReach = 2;  // px: that a star may lie off; round what is taken out
  const Plane now = light_of(picture, rows), was = light_of(before, {0, before.height});
  const Plane most = lightest_near(was, kStar);
  const auto clear = static_cast<float>(kNoise * noise_of(now, was));
  Plane found(now.width, now.height);
  parallel_rows(now.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float *a = now.row(y), *b = most.row(y);
      float* to = found.row(y);
      for (int x = 0; x < now.width; ++x) to[x] = a[x] > kBrighter * b[x] + clear ? 1.0f : 0.0f;
    }
  });
  const Plane out = lightest_near(found, kReach);
  parallel_rows(now.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        const float *where = out.row(y), *old = before.planes[c].row(y);
        float* to = picture.planes[c].row(rows.first + y);
        for (int x = 0; x < now.width; ++x)
          if (where[x] > 0) to[x] = std::min(to[x], old[x]);
      }
  });
}

}  // namespace tsukimi
