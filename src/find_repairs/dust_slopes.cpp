// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/dust_slopes.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/solve.h"
#include "repairs/repair.h"

namespace tsukimi {
namespace {

constexpr std::size_t kUnknowns = 7, kShape = 5;
// x, y, log of the radius, strength, log of the falloff; even slopes of what lies round it.
using Vector = std::array<double, kUnknowns>;
// What a cloud does to a pixel, it does to those next to it: so many are as one.
constexpr double kNeighbours = 9;

ShadowFit fit_of(const Vector& v) {
  return {v[0],
          v[1],
          std::exp(v[2]),
          std::clamp(v[3], 0.01, 0.9),
          1,
          0,
          std::clamp(std::exp(v[4]), Shadow::kMostPointed, Shadow::kFlattest)};
}

}  // namespace

void Evidence::add(const FixedSlopes& slopes, const ShadowFit& fit, int sector) {
  const int cx = static_cast<int>(std::floor(fit.x)), cy = static_cast<int>(std::floor(fit.y));
  const ShadowShape shape(fit, fit.x - cx - 0.5, fit.y - cy - 0.5, slopes.smoothing);
  for (int y = -shape.reach(); y <= shape.reach(); ++y)
    for (int x = -shape.reach(); x <= shape.reach(); ++x) {
      const int px = cx + x, py = cy + y;
      if (px < 0 || py < 0 || px >= slopes.x.width || py >= slopes.x.height) continue;
      if (sector >= 0 && (x + y > 0) + 2 * (x - y > 0) != sector) continue;
      const double gx = shape.slope_x(x, y), gy = shape.slope_y(x, y),
                   tx = slopes.trust_x.at(px, py), ty = slopes.trust_y.at(px, py);
      own_ += gx * gx * tx + gy * gy * ty;
      both_ += gx * slopes.x.at(px, py) * tx + gy * slopes.y.at(px, py) * ty;
    }
}

Share Evidence::share() const {
  if (own_ <= 0) return {};
  return {both_ / own_, std::sqrt(kNeighbours / own_)};
}

Share borne_out(const FixedSlopes& slopes, const ShadowFit& fit, int sector) {
  Evidence out;
  out.add(slopes, fit, sector);
  return out.share();
}

ShadowFit refined(const FixedSlopes& slopes, const ShadowFit& begin) {
  constexpr int kRounds = 12;
  constexpr double kStep = 0.02;
  // Where hardly anything is known of the falloff it is that of a bell: 1 / variance of its
  // logarithm.
  constexpr double kHold = 1 / (1.5 * 1.5);
  const double radius = std::max(begin.radius, least_radius(slopes.smoothing));
  Vector p{begin.x, begin.y, std::log(radius), begin.strength, std::log(begin.falloff), 0, 0};
  for (int round = 0; round < kRounds; ++round) {
    const int cx = static_cast<int>(std::floor(p[0])), cy = static_cast<int>(std::floor(p[1]));
    auto shape_of = [&](const Vector& v) {
      return ShadowShape(fit_of(v), v[0] - cx - 0.5, v[1] - cy - 0.5, slopes.smoothing);
    };
    const ShadowShape here = shape_of(p);
    std::vector<ShadowShape> moved;
    for (std::size_t k = 0; k < kShape; ++k) {
      Vector q = p;
      q[k] += kStep;
      moved.push_back(shape_of(q));
    }
    const int reach = here.reach();
    std::array<Vector, kUnknowns> normal{};
    Vector right{};
    for (int y = -reach; y <= reach; ++y)
      for (int x = -reach; x <= reach; ++x) {
        const int px = cx + x, py = cy + y;
        if (px < 0 || py < 0 || px >= slopes.x.width || py >= slopes.x.height) continue;
        for (bool across : {true, false}) {
          const double trust = (across ? slopes.trust_x : slopes.trust_y).at(px, py) / kNeighbours;
          auto slope = [&](const ShadowShape& s) {
            if (std::abs(x) > s.reach() || std::abs(y) > s.reach()) return 0.0;
            return across ? s.slope_x(x, y) : s.slope_y(x, y);
          };
          const double model = slope(here), even = across ? p[5] : p[6];
          Vector row{};
          for (std::size_t k = 0; k < kShape; ++k) row[k] = (slope(moved[k]) - model) / kStep;
          row[across ? 5 : 6] = 1;
          const double rest = (across ? slopes.x : slopes.y).at(px, py) - model - even;
          for (std::size_t i = 0; i < kUnknowns; ++i) {
            right[i] += trust * row[i] * rest;
            for (std::size_t j = 0; j < kUnknowns; ++j) normal[i][j] += trust * row[i] * row[j];
          }
        }
      }
    // A spot no larger than what it is smoothed by shows nothing of its edge.
    const double hold = kHold * (1 + std::pow(slopes.smoothing / std::exp(p[2]), 6));
    right[4] -= hold * (p[4] - std::log(Shadow::kRound));
    normal[4][4] += hold;
    Vector step = solve(normal, right, 1e-3);
    constexpr Vector kMost{1, 1, 0.2, 0.05, 0.3, 1e9, 1e9};
    for (std::size_t i = 0; i < kUnknowns; ++i) p[i] += std::clamp(step[i], -kMost[i], kMost[i]);
    p[2] = std::max(p[2], std::log(least_radius(slopes.smoothing)));
    p[4] = std::clamp(p[4], std::log(Shadow::kMostPointed), std::log(Shadow::kFlattest));
  }
  ShadowFit out = fit_of(p);
  out.left = begin.left, out.around = begin.around;
  // Not away from where it was.
  const bool near =
      std::hypot(out.x - begin.x, out.y - begin.y) < radius + 0.5 * slopes.smoothing &&
      std::fabs(std::log(out.radius / radius)) < 0.7 && p[3] > 0;
  return near ? out : begin;
}

}  // namespace tsukimi
