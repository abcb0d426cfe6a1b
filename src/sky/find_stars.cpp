// SPDX-License-Identifier: GPL-3.0-or-later
#include "sky/find_stars.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/median.h"
#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr int kRing = 4, kBorder = kRing + 2;  // px
constexpr int kBlock = 32;                     // px: noise is told from so many together

// Points of a ring round a pixel.
constexpr std::array<std::array<int, 2>, 16> kRingPoints{{{4, 0},
                                                          {4, 2},
                                                          {3, 3},
                                                          {2, 4},
                                                          {0, 4},
                                                          {-2, 4},
                                                          {-3, 3},
                                                          {-4, 2},
                                                          {-4, 0},
                                                          {-4, -2},
                                                          {-3, -3},
                                                          {-2, -4},
                                                          {0, -4},
                                                          {2, -4},
                                                          {3, -3},
                                                          {4, -2}}};

// Binomial over five pixels, both ways: as wide as a star.
Plane softened(const Plane& in) {
  Plane across(in.width, in.height), out(in.width, in.height);
  constexpr float k[3] = {6 / 16.0f, 4 / 16.0f, 1 / 16.0f};
  auto held = [](int i, int n) { return std::clamp(i, 0, n - 1); };
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float* row = in.row(y);
      for (int x = 0; x < in.width; ++x) {
        float sum = k[0] * row[x];
        for (int d = 1; d < 3; ++d)
          sum += k[d] * (row[held(x - d, in.width)] + row[held(x + d, in.width)]);
        across.at(x, y) = sum;
      }
    }
  });
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < in.width; ++x) {
        float sum = k[0] * across.at(x, y);
        for (int d = 1; d < 3; ++d)
          sum +=
              k[d] * (across.at(x, held(y - d, in.height)) + across.at(x, held(y + d, in.height)));
        out.at(x, y) = sum;
      }
  });
  return out;
}

// How noisy the softened picture is round each block: by neighbours that lie as far apart as no
// star is wide. Where there is texture it counts as noise.
class Noise {
 public:
  explicit Noise(const Plane& soft)
      : columns_((soft.width + kBlock - 1) / kBlock),
        of_(static_cast<std::size_t>(columns_) * ((soft.height + kBlock - 1) / kBlock)) {
    for (std::size_t b = 0; b < of_.size(); ++b) {
      const int x0 = static_cast<int>(b) % columns_ * kBlock,
                y0 = static_cast<int>(b) / columns_ * kBlock;
      std::vector<double> off;
      for (int y = y0; y < std::min(y0 + kBlock, soft.height - kRing); y += 2)
        for (int x = x0; x < std::min(x0 + kBlock, soft.width - kRing); x += 2) {
          off.push_back(std::fabs(soft.at(x, y) - soft.at(x + kRing, y)));
          off.push_back(std::fabs(soft.at(x, y) - soft.at(x, y + kRing)));
        }
      of_[b] = off.empty() ? 0 : kSigmaPerMad * median(off) / std::sqrt(2.0);
    }
  }
  double at(int x, int y) const {
    return of_[static_cast<std::size_t>(y / kBlock * columns_ + x / kBlock)];
  }

 private:
  int columns_;
  std::vector<double> of_;
};

// The middle of its light, by weights that fall as a star's light does.
Point centre_of(const Plane& light, int x, int y, float ground) {
  double cx = x, cy = y;
  for (int round = 0; round < 3; ++round) {
    double sum = 0, sum_x = 0, sum_y = 0;
    for (int j = y - 3; j <= y + 3; ++j)
      for (int i = x - 3; i <= x + 3; ++i) {
        const double dx = i - cx, dy = j - cy;
        const double w = std::exp(-(dx * dx + dy * dy) / (2 * 1.4 * 1.4)) *
                         std::max(light.at(i, j) - ground, 0.0f);
        sum += w, sum_x += w * i, sum_y += w * j;
      }
    if (!(sum > 0)) break;
    // A weighted middle goes half the way only.
    cx = std::clamp(cx + 2 * (sum_x / sum - cx), x - 1.5, x + 1.5);
    cy = std::clamp(cy + 2 * (sum_y / sum - cy), y - 1.5, y + 1.5);
  }
  return {cx, cy};
}

std::vector<SeenStar> stars_in(const Plane& light) {
  constexpr double kClear = 5;        // times the noise
  constexpr float kOfGround = 0.03f;  // at least, of the light round it
  constexpr float kLarge = 0.45f;     // of its peak, at most as much at the ring
  std::vector<SeenStar> out;
  const int w = light.width, h = light.height;
  if (w < 4 * kBorder || h < 4 * kBorder) return out;
  const Plane soft = softened(light);
  const Noise noise(soft);
  for (int y = kBorder; y < h - kBorder; ++y)
    for (int x = kBorder; x < w - kBorder; ++x) {
      const float here = soft.at(x, y);
      auto is_peak = [&] {
        for (int j = -1; j <= 1; ++j)
          for (int i = -1; i <= 1; ++i) {
            if (i == 0 && j == 0) continue;
            const float beside = soft.at(x + i, y + j);
            // Of two that are alike the first counts.
            if (beside > here || (beside == here && (j < 0 || (j == 0 && i < 0)))) return false;
          }
        return true;
      };
      if (!is_peak()) continue;
      std::array<float, kRingPoints.size()> ring;
      for (std::size_t k = 0; k < ring.size(); ++k)
        ring[k] = soft.at(x + kRingPoints[k][0], y + kRingPoints[k][1]);
      const auto around = ring;
      std::ranges::sort(ring);
      const float ground = 0.5f * (ring[7] + ring[8]), peak = here - ground;
      if (!(peak > kClear * noise.at(x, y)) || peak < kOfGround * ground) continue;
      // Another star may stand beside it; an edge is on many sides, a streak on two that lie
      // across.
      if (ring[13] - ground > kLarge * peak || ground - ring[2] > kLarge * peak) continue;
      bool line = false;
      for (std::size_t k = 0; k < ring.size() / 2; ++k)
        line = line || std::min(around[k], around[k + ring.size() / 2]) - ground > kLarge * peak;
      if (line) continue;
      const Point at = centre_of(light, x, y, ground);
      out.push_back({{(at.x + 0.5) / w, (at.y + 0.5) / h}, peak});
    }
  return out;
}

}  // namespace

std::vector<SeenStar> find_stars(const Plane& light, int most) {
  constexpr std::size_t kFew = 12;
  std::vector<SeenStar> out = stars_in(light);
  // A long shutter or a long lens draws them as lines, which are points from farther away.
  Plane now = light;
  for (int round = 0; round < 2 && out.size() < kFew; ++round) {
    Plane half(now.width / 2, now.height / 2);
    for (int y = 0; y < half.height; ++y)
      for (int x = 0; x < half.width; ++x)
        half.at(x, y) = 0.25f * (now.at(2 * x, 2 * y) + now.at(2 * x + 1, 2 * y) +
                                 now.at(2 * x, 2 * y + 1) + now.at(2 * x + 1, 2 * y + 1));
    const auto more = stars_in(half);
    if (more.size() > out.size()) out = more;
    now = std::move(half);
  }
  std::ranges::stable_sort(out, std::greater(), &SeenStar::light);
  if (out.size() > static_cast<std::size_t>(most)) out.resize(static_cast<std::size_t>(most));
  return out;
}

}  // namespace tsukimi
