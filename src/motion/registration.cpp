// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/registration.h"

#include <algorithm>
#include <cmath>

#include "image/bilinear.h"
#include "image/fast_math.h"
#include "image/guided.h"

namespace tsukimi {
namespace {

constexpr int kLevels = 3, kBlocksX = 8, kBlocksY = 6;

struct Vote {
  double dx, dy, weight;
};

double weighted_median(std::vector<std::pair<double, double>> v) {
  std::sort(v.begin(), v.end());
  double total = 0, sum = 0;
  for (const auto& [value, weight] : v) total += weight;
  for (const auto& [value, weight] : v)
    if ((sum += weight) >= total / 2) return value;
  return 0;
}

struct PixelBlock {  // without its last row and column
  int x0, y0, x1, y1;
};

// One block's own translation, from a first guess. False when it has no structure to hold on to.
bool block_shift(const Plane& a, const Plane& b, const PixelBlock& block, Vote& vote) {
  constexpr double kLeastSlope = 0.004;  // mean square of the weaker direction's, contrast 1 per px
  constexpr double kFarthest = 40;       // px: what went further was not followed
  constexpr double kNoise = 0.02;        // mean square error that a good fit leaves
  constexpr double kDone = 0.002;        // px, of a round
  constexpr int kRounds = 6;
  const auto [x0, y0, x1, y1] = block;
  double axx = 1e-6, axy = 0, ayy = 1e-6;
  for (int y = y0; y < y1; ++y)
    for (int x = x0; x < x1; ++x) {
      const double gx = 0.5 * (a.at(x + 1, y) - a.at(x - 1, y)),
                   gy = 0.5 * (a.at(x, y + 1) - a.at(x, y - 1));
      axx += gx * gx, axy += gx * gy, ayy += gy * gy;
    }
  const double trace = axx + ayy, det = axx * ayy - axy * axy;
  const double least = trace / 2 - std::sqrt(std::max(0.0, trace * trace / 4 - det));
  const double area = static_cast<double>(x1 - x0) * (y1 - y0);
  if (least < kLeastSlope * area) return false;
  // Short of the last pixel by a thousandth: measured shifts depend on it in their last digits.
  const double right = b.width - 1.001, bottom = b.height - 1.001;
  double error = 0;
  for (int round = 0; round < kRounds; ++round) {
    double bx = 0, by = 0;
    error = 0;
    for (int y = y0; y < y1; ++y)
      for (int x = x0; x < x1; ++x) {
        const double d =
            bilinear(b, std::min(x + vote.dx, right), std::min(y + vote.dy, bottom)) - a.at(x, y);
        bx += d * 0.5 * (a.at(x + 1, y) - a.at(x - 1, y));
        by += d * 0.5 * (a.at(x, y + 1) - a.at(x, y - 1));
        error += d * d;
      }
    const double mx = (ayy * bx - axy * by) / det, my = (axx * by - axy * bx) / det;
    vote.dx -= std::clamp(mx, -1.0, 1.0);
    vote.dy -= std::clamp(my, -1.0, 1.0);
    if (std::fabs(mx) + std::fabs(my) < kDone) break;
  }
  if (!(std::fabs(vote.dx) < kFarthest && std::fabs(vote.dy) < kFarthest)) return false;
  vote.weight = least / (kNoise * area + error);
  return true;
}

}  // namespace

Plane half_size(const Plane& in) {
  Plane out(in.width / 2, in.height / 2);
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x)
      out.at(x, y) = 0.25f * (in.at(2 * x, 2 * y) + in.at(2 * x + 1, 2 * y) +
                              in.at(2 * x, 2 * y + 1) + in.at(2 * x + 1, 2 * y + 1));
  return out;
}

Image halved(Image image, int widest) {
  while (image.width > widest) {
    Image half;
    for (int c = 0; c < 3; ++c) half.planes[c] = half_size(image.planes[c]);
    half.width = half.planes[0].width, half.height = half.planes[0].height;
    image = std::move(half);
  }
  return image;
}

Prepared prepare_shift(const Plane& light) {
  Plane log(light.width, light.height), square(light.width, light.height);
  double mean = 0;
  for (float v : light.data) mean += std::max(v, 0.0f);
  // Light far below the mean is noise, which a logarithm would magnify: a constant of 5 % of the
  // mean is added first.
  const auto foot = static_cast<float>(0.05 * mean / static_cast<double>(light.data.size()) + 1e-6);
  for (std::size_t i = 0; i < light.data.size(); ++i)
    log.data[i] = fast_log2(std::max(light.data[i], 0.0f) + foot);
  const Plane local = box_mean(log, 4);
  for (std::size_t i = 0; i < log.data.size(); ++i) {
    log.data[i] -= local.data[i];
    square.data[i] = log.data[i] * log.data[i];
  }
  const Plane variance = box_mean(square, 6);
  for (std::size_t i = 0; i < log.data.size(); ++i)
    log.data[i] /= std::sqrt(variance.data[i] + 0.02f);
  Prepared out;
  out.levels.push_back(std::move(log));
  for (int k = 1; k < kLevels; ++k) out.levels.push_back(half_size(out.levels.back()));
  return out;
}

Shift measure_shift(const Prepared& a, const Prepared& b) {
  Shift shift;
  if (a.levels.size() != b.levels.size() || a.levels.empty() ||
      a.levels[0].width != b.levels[0].width || a.levels[0].height != b.levels[0].height)
    return shift;
  for (int level = static_cast<int>(a.levels.size()) - 1; level >= 0; --level) {
    const Plane &pa = a.levels[level], &pb = b.levels[level];
    if (pa.width < 3 * kBlocksX || pa.height < 3 * kBlocksY) continue;
    std::vector<std::pair<double, double>> xs, ys;
    for (int row = 0; row < kBlocksY; ++row)
      for (int column = 0; column < kBlocksX; ++column) {
        const PixelBlock block{std::max(1, column * pa.width / kBlocksX),
                               std::max(1, row * pa.height / kBlocksY),
                               std::min(pa.width - 1, (column + 1) * pa.width / kBlocksX),
                               std::min(pa.height - 1, (row + 1) * pa.height / kBlocksY)};
        Vote vote{shift.dx, shift.dy, 0};
        if (!block_shift(pa, pb, block, vote)) continue;
        xs.emplace_back(vote.dx, vote.weight);
        ys.emplace_back(vote.dy, vote.weight);
      }
    shift.known = xs.size() >= 4;
    if (shift.known) shift.dx = weighted_median(xs), shift.dy = weighted_median(ys);
    if (level > 0) shift.dx *= 2, shift.dy *= 2;
  }
  return shift;
}

}  // namespace tsukimi
