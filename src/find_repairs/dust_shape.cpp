// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/dust_shape.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "base/median.h"
#include "base/parallel.h"
#include "image/fast_math.h"
#include "repairs/repair.h"

namespace tsukimi {
namespace {

// Sums over boxes.
class Sums {
 public:
  explicit Sums(const Plane& p)
      : width_(p.width),
        height_(p.height),
        data_(static_cast<std::size_t>(width_ + 1) * static_cast<std::size_t>(height_ + 1)) {
    for (int y = 0; y < height_; ++y)
      for (int x = 0; x < width_; ++x)
        at(x + 1, y + 1) = p.at(x, y) + at(x, y + 1) + at(x + 1, y) - at(x, y);
  }
  double sum(int x, int y, int half, double& count) const {
    const int x0 = std::max(0, x - half), x1 = std::min(width_, x + half + 1),
              y0 = std::max(0, y - half), y1 = std::min(height_, y + half + 1);
    count = static_cast<double>(x1 - x0) * (y1 - y0);
    return at(x1, y1) - at(x0, y1) - at(x1, y0) + at(x0, y0);
  }

 private:
  double& at(int x, int y) {
    return data_[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_ + 1) +
                 static_cast<std::size_t>(x)];
  }
  double at(int x, int y) const { return const_cast<Sums*>(this)->at(x, y); }
  int width_, height_;
  std::vector<double> data_;
};

// How much darker the middle is than a frame round it, for a spot of this radius.
double darker(const Sums& sums, int x, int y, double radius) {
  double n_in = 0, n_near = 0, n_far = 0;
  const double in = sums.sum(x, y, static_cast<int>(std::lround(0.6 * radius)), n_in),
               near = sums.sum(x, y, static_cast<int>(std::lround(1.9 * radius)), n_near),
               far = sums.sum(x, y, static_cast<int>(std::lround(2.8 * radius)) + 1, n_far);
  return (far - near) / std::max(n_far - n_near, 1.0) - in / n_in;
}

// How far off the middle a shadow is an eightieth of its depth, in radii: 2.1 of a round one.
double reach_of(double falloff) { return std::pow(4.4, 1 / falloff); }

}  // namespace

ShadowFit scaled(const ShadowFit& fit, double by) {
  ShadowFit out = fit;
  out.radius = fit.radius / by;
  out.strength = std::min(fit.strength * by * by, 0.9);
  return out;
}

namespace {

// What depends on the distance alone, at every quarter of a pixel.
class Radial {
 public:
  static constexpr float kPerPixel = 4;
  template <typename Value>
  Radial(double reach, const Value& value)
      : values_(static_cast<std::size_t>(reach * kPerPixel) + 3) {
    for (std::size_t i = 0; i < values_.size(); ++i)
      values_[i] = value(static_cast<float>(i) / kPerPixel);
  }
  float at(float x, float y) const {
    const float d =
        std::min(kPerPixel * std::sqrt(x * x + y * y), static_cast<float>(values_.size()) - 1.001f);
    const auto i = static_cast<std::size_t>(d);
    const float part = d - static_cast<float>(i);
    return values_[i] + part * (values_[i + 1] - values_[i]);
  }

 private:
  std::vector<float> values_;
};

}  // namespace

// Proxies are made small without blur (image/reduce.h): a pixel is what lies in its middle.
ShadowShape::ShadowShape(const ShadowFit& fit, double dx, double dy, double smoothing)
    : reach_(static_cast<int>(std::ceil(reach_of(fit.falloff) * fit.radius + 2 * smoothing))),
      stops_(2 * reach_ + 5, 2 * reach_ + 5) {
  const int margin = static_cast<int>(std::ceil(3 * smoothing));
  const double farthest = 1.415 * (reach_ + 3);
  const auto per = static_cast<float>(1 / fit.radius), power = static_cast<float>(fit.falloff),
             depth = static_cast<float>(fit.strength);
  const Radial sharp(farthest + 1.415 * margin, [&](float d) {
    const float away = fast_exp2(power * fast_log2(std::max(d * per, 1e-6f)));
    return fast_log2(1 - depth * fast_exp2(-1.44269504f * away));
  });
  std::vector<float> kernel;
  float sum = 0;
  for (int i = -margin; i <= margin; ++i) {
    kernel.push_back(smoothing > 0
                         ? static_cast<float>(std::exp(-0.5 * i * i / (smoothing * smoothing)))
                         : 1.0f);
    sum += kernel.back();
  }
  for (float& k : kernel) k /= sum;
  auto weight = [&](int i) { return kernel[static_cast<std::size_t>(i + margin)]; };
  // Smoothed down first: of a column at every quarter of a pixel, to either side of the middle.
  constexpr int kPer = static_cast<int>(Radial::kPerPixel);
  const int beyond = margin * kPer;
  std::vector<float> columns(static_cast<std::size_t>(farthest * kPer) + 3 +
                             static_cast<std::size_t>(2 * beyond));
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const float at = static_cast<float>(static_cast<int>(i) - beyond) / kPer;
    for (int v = 0; v <= margin; ++v)
      columns[i] += (v > 0 ? 2 : 1) * weight(v) * sharp.at(at, static_cast<float>(v));
  }
  const Radial smooth(farthest, [&](float d) {
    const auto first = static_cast<std::size_t>(std::lround(d * kPer));
    float all = 0;
    for (int u = -margin; u <= margin; ++u)
      all += weight(u) * columns[first + static_cast<std::size_t>(beyond + u * kPer)];
    return all;
  });
  for (int y = 0; y < stops_.height; ++y)
    for (int x = 0; x < stops_.width; ++x)
      stops_.at(x, y) = smooth.at(static_cast<float>(x - reach_ - 2 - dx),
                                  static_cast<float>(y - reach_ - 2 - dy));
}

ShadowFit fit_shadow(const Plane& stops, double x, double y, double radius, double smoothing) {
  // As a bell first; how flat it is when its place is known.
  constexpr int kRounds = 5, kRoundAlone = 3;
  constexpr double kLeftOfFlat = 0.35;
  constexpr double kFalloffs[] = {2, 1.3, 3, 5, 8};
  ShadowFit best{x, y, radius, 0.1, 1, 0};
  for (int round = 0; round < kRounds; ++round) {
    // As wide as it looks.
    const double wide = std::hypot(best.radius, 1.414 * smoothing), from = 2.1 * wide,
                 to = 2.8 * wide + 1;
    std::vector<double> ring;
    for (int j = std::max(0, static_cast<int>(best.y - to));
         j <= std::min(stops.height - 1, static_cast<int>(best.y + to) + 1); ++j)
      for (int i = std::max(0, static_cast<int>(best.x - to));
           i <= std::min(stops.width - 1, static_cast<int>(best.x + to) + 1); ++i)
        if (const double d = std::hypot(i + 0.5 - best.x, j + 0.5 - best.y); d >= from && d < to)
          ring.push_back(stops.at(i, j));
    const double level = median_element(ring);
    for (double& v : ring) v = std::fabs(v - level);
    best.around = kSigmaPerMad * median_element(ring);
    const int cx = static_cast<int>(std::floor(best.x)), cy = static_cast<int>(std::floor(best.y));
    double least = 1e30;
    ShadowFit now = best;
    auto try_shape = [&](double r, double falloff) {
      const double start = std::clamp(best.strength, 0.02, 0.6);
      const ShadowShape shape({0, 0, r, start, 0, 0, falloff}, best.x - cx - 0.5, best.y - cy - 0.5,
                              smoothing);
      const int reach = static_cast<int>(std::ceil(2.2 * wide)) + 1;
      double gg = 0, gt = 0, tt = 0;
      for (int j = -reach; j <= reach; ++j)
        for (int i = -reach; i <= reach; ++i) {
          if (cx + i < 0 || cy + j < 0 || cx + i >= stops.width || cy + j >= stops.height) continue;
          const double dx = cx + i + 0.5 - best.x, dy = cy + j + 0.5 - best.y;
          if (dx * dx + dy * dy > 4.84 * wide * wide) continue;
          const bool in = std::abs(i) <= shape.reach() && std::abs(j) <= shape.reach();
          const double g = in ? shape.at(i, j) : 0, t = stops.at(cx + i, cy + j) - level;
          gg += g * g, gt += g * t, tt += t * t;
        }
      const double times = gg > 0 ? gt / gg : 0, left = tt - times * gt;
      if (left < least && times > 0) {
        least = left;
        now.radius = r;
        now.falloff = falloff;
        // Stops go with the logarithm: the middle is as deep as the scaled shape is.
        now.strength = 1 - std::exp2(times * std::log2(1 - start));
        now.left = tt > 0 ? left / tt : 1;
      }
    };
    const bool may_be_flat =
        round >= kRoundAlone && best.radius > smoothing && best.left < kLeftOfFlat;
    const double step = round < kRoundAlone ? 1.12 : 1.06, span = round < kRoundAlone ? 1.9 : 1.45;
    for (double falloff : kFalloffs) {
      if (!may_be_flat && falloff != Shadow::kRound) continue;
      for (double r = std::max(least_radius(smoothing), best.radius / span);
           r <= span * best.radius + 0.01; r *= step)
        try_shape(r, falloff);
    }
    // Its middle: of what is missing.
    double sx = 0, sy = 0, sum = 0;
    const double within = 1.3 * std::hypot(now.radius, 1.414 * smoothing);
    for (int j = std::max(0, static_cast<int>(best.y - within));
         j <= std::min(stops.height - 1, static_cast<int>(best.y + within)); ++j)
      for (int i = std::max(0, static_cast<int>(best.x - within));
           i <= std::min(stops.width - 1, static_cast<int>(best.x + within)); ++i) {
        const double dx = i + 0.5 - best.x, dy = j + 0.5 - best.y;
        if (std::hypot(dx, dy) > within) continue;
        const double t = std::max(0.0, 1 - std::exp2(stops.at(i, j) - level));
        sx += t * dx, sy += t * dy, sum += t;
      }
    if (sum > 0) now.x += sx / sum, now.y += sy / sum;
    best = now;
    // Most dark places are nothing like a shadow, which soon shows.
    if (best.left > (round == 0 ? 0.85 : 0.6)) break;
  }
  return best;
}

std::vector<DarkSpot> dark_spots(const Plane& stops, double least, double most_radius) {
  const Sums sums(stops);
  std::vector<DarkSpot> out;
  Plane depth(stops.width, stops.height), size(stops.width, stops.height);
  parallel_rows(stops.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < stops.width; ++x) {
        double best = 0, of = 0;
        for (double r = 1.2; r <= most_radius; r *= 1.35)
          if (const double d = darker(sums, x, y, r); d > best) best = d, of = r;
        depth.at(x, y) = static_cast<float>(best);
        size.at(x, y) = static_cast<float>(of);
      }
  });
  for (int y = 1; y + 1 < stops.height; ++y)
    for (int x = 1; x + 1 < stops.width; ++x) {
      const float d = depth.at(x, y);
      if (d < least) continue;
      bool peak = true;
      for (int j = -1; j <= 1; ++j)
        for (int i = -1; i <= 1; ++i)
          peak &= (i == 0 && j == 0) || depth.at(x + i, y + j) < d ||
                  (depth.at(x + i, y + j) == d && (j > 0 || (j == 0 && i > 0)));
      if (peak) out.push_back({x, y, size.at(x, y), d});
    }
  std::ranges::sort(out, std::greater(), &DarkSpot::depth);
  return out;
}

}  // namespace tsukimi
