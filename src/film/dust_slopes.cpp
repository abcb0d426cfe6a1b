#include "film/dust_slopes.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/solve.h"

namespace tsukimi {
namespace {

constexpr std::size_t kUnknowns = 6;
using Vector = std::array<double, kUnknowns>;  // x, y, log of the radius, strength, even slopes

}  // namespace

Share borne_out(const FixedSlopes& slopes, const ShadowFit& fit, int sector) {
  constexpr double kNeighbours = 3;  // what a cloud does to a pixel, it does to those next to it
  const int cx = static_cast<int>(std::floor(fit.x)), cy = static_cast<int>(std::floor(fit.y));
  const ShadowShape shape(fit.radius, fit.strength, fit.x - cx - 0.5, fit.y - cy - 0.5,
                          slopes.smoothing());
  double own = 0, both = 0;
  for (int y = -shape.reach(); y <= shape.reach(); ++y)
    for (int x = -shape.reach(); x <= shape.reach(); ++x) {
      const int px = cx + x, py = cy + y;
      if (px < 0 || py < 0 || px >= slopes.x.width || py >= slopes.x.height) continue;
      if (sector >= 0 && (x + y > 0) + 2 * (x - y > 0) != sector) continue;
      const double gx = shape.slope_x(x, y), gy = shape.slope_y(x, y),
                   tx = slopes.trust_x.at(px, py), ty = slopes.trust_y.at(px, py);
      own += gx * gx * tx + gy * gy * ty;
      both += gx * slopes.x.at(px, py) * tx + gy * slopes.y.at(px, py) * ty;
    }
  if (own <= 0) return {};
  return {both / own, kNeighbours / std::sqrt(own)};
}

ShadowFit refined(const FixedSlopes& slopes, const ShadowFit& begin) {
  Vector p{begin.x, begin.y, std::log(begin.radius), begin.strength, 0, 0};
  auto shape_of = [&](const Vector& v, int cx, int cy) {
    return ShadowShape(std::exp(v[2]), std::clamp(v[3], 0.01, 0.6), v[0] - cx - 0.5,
                       v[1] - cy - 0.5, slopes.smoothing());
  };
  for (int round = 0; round < 8; ++round) {
    const int cx = static_cast<int>(std::floor(p[0])), cy = static_cast<int>(std::floor(p[1]));
    const ShadowShape here = shape_of(p, cx, cy);
    std::vector<ShadowShape> moved;
    constexpr double kStep = 0.02;
    for (int k = 0; k < 4; ++k) {
      Vector q = p;
      q[static_cast<std::size_t>(k)] += kStep;
      moved.push_back(shape_of(q, cx, cy));
    }
    const int reach = here.reach();
    std::array<Vector, kUnknowns> normal{};
    Vector right{};
    for (int y = -reach; y <= reach; ++y)
      for (int x = -reach; x <= reach; ++x) {
        const int px = cx + x, py = cy + y;
        if (px < 0 || py < 0 || px >= slopes.x.width || py >= slopes.x.height) continue;
        for (bool across : {true, false}) {
          const double trust = (across ? slopes.trust_x : slopes.trust_y).at(px, py);
          auto slope = [&](const ShadowShape& s) {
            return across ? s.slope_x(x, y) : s.slope_y(x, y);
          };
          const double model = slope(here);
          Vector row{};
          for (std::size_t k = 0; k < 4; ++k)
            if (moved[k].reach() >= reach) row[k] = (slope(moved[k]) - model) / kStep;
          row[across ? 4 : 5] = 1;
          const double rest = (across ? slopes.x : slopes.y).at(px, py) - model - p[across ? 4 : 5];
          for (std::size_t i = 0; i < kUnknowns; ++i) {
            right[i] += trust * row[i] * rest;
            for (std::size_t j = 0; j < kUnknowns; ++j) normal[i][j] += trust * row[i] * row[j];
          }
        }
      }
    Vector step = solve(normal, right, 1e-3);
    step[0] = std::clamp(step[0], -1.0, 1.0), step[1] = std::clamp(step[1], -1.0, 1.0);
    step[2] = std::clamp(step[2], -0.2, 0.2), step[3] = std::clamp(step[3], -0.05, 0.05);
    for (std::size_t i = 0; i < kUnknowns; ++i) p[i] += step[i];
  }
  const ShadowFit out{p[0], p[1], std::exp(p[2]), p[3], begin.left, begin.around};
  // Not away from where it was.
  const bool near = std::hypot(out.x - begin.x, out.y - begin.y) < begin.radius &&
                    std::fabs(std::log(out.radius / begin.radius)) < 0.7 && out.strength > 0;
  return near ? out : begin;
}

}  // namespace tsukimi
