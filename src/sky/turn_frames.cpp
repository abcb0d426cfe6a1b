// SPDX-License-Identifier: GPL-3.0-or-later
#include "sky/turn_frames.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/median.h"
#include "base/solve.h"
#include "sky/star_places.h"

namespace tsukimi {
namespace {

constexpr int kEnough = 10;  // stars that a frame's own turn is believed of

// Nearest to a place, within reach; -1: none.
int nearest(const std::vector<Point>& points, Point p, double reach, double aspect) {
  int best = -1;
  for (std::size_t i = 0; i < points.size(); ++i)
    if (const double d = apart(points[i], p, aspect); d < reach)
      reach = d, best = static_cast<int>(i);
  return best;
}

// What a small rotation more puts known stars onto those that are seen, and how many there are.
int align(const SkyLens& lens, const std::vector<Ray>& known, const std::vector<Point>& seen,
          Rotation& turn) {
  int stars = 0;
  for (int round = 0; round < 4; ++round) {
    // A tripod may have been shoved: the first look is wider.
    const double reach = (round == 0 ? 4 : 1.5) * kStarAgrees;
    std::array<std::array<double, 3>, 3> normal{};
    std::array<double, 3> right{};
    stars = 0;
    for (const Ray& ray : known) {
      const Ray here = turned(turn, ray);
      if (here[2] < 0.05) continue;
      const Point p = lens.seen(here);
      if (p.x < 0 || p.y < 0 || p.x > 1 || p.y > 1) continue;
      const int near = nearest(seen, p, reach, lens.aspect);
      if (near < 0) continue;
      ++stars;
      // The rotation w takes the ray r to r + w x r; what is missing is seen - r.
      const Point at = seen[static_cast<std::size_t>(near)];
      const Ray there = lens.ray(at);
      const Ray off{there[0] - here[0], there[1] - here[1], there[2] - here[2]};
      const double far = apart(at, p, lens.aspect) / kStarAgrees, weight = 1 / (1 + 4 * far * far);
      const double cross[3][3] = {
          {0, here[2], -here[1]}, {-here[2], 0, here[0]}, {here[1], -here[0], 0}};
      for (std::size_t u = 0; u < 3; ++u)
        for (std::size_t c = 0; c < 3; ++c) {
          right[u] += weight * cross[c][u] * off[c];
          for (std::size_t v = 0; v < 3; ++v) normal[u][v] += weight * cross[c][u] * cross[c][v];
        }
    }
    if (stars < kEnough) return stars;
    const std::array<double, 3> w = solve(normal, right, 1e-9);
    const double size = std::hypot(w[0], w[1], w[2]);
    if (size > 1e-12)
      turn = then(turn, rotation_about({w[0] / size, w[1] / size, w[2] / size}, size));
  }
  return stars;
}

Ray vector_of(const Rotation& r) {
  const Ray axis{r[7] - r[5], r[2] - r[6], r[3] - r[1]};
  const double length = std::hypot(axis[0], axis[1], axis[2]);
  const double by = length > 1e-14 ? angle_of(r) / length : 0;
  return {axis[0] * by, axis[1] * by, axis[2] * by};
}

Rotation rotation_of(const Ray& v) {
  const double angle = std::hypot(v[0], v[1], v[2]);
  if (angle < 1e-14) return kNoRotation;
  return rotation_about({v[0] / angle, v[1] / angle, v[2] / angle}, angle);
}

// By how much each frame is off the clock, as vectors, without what is no more than error.
void settle(std::vector<Ray>& off, const SkyFit& fit) {
  constexpr int kBeside = 7;    // frames
  constexpr double kDoubt = 4;  // times what its stars are exact to
  const int count = static_cast<int>(off.size());
  const std::vector<Ray> own = off;
  for (int k = 0; k < count; ++k) {
    std::array<std::vector<double>, 3> near;
    for (int i = std::max(0, k - kBeside); i <= std::min(count - 1, k + kBeside); ++i)
      if (fit.frames[static_cast<std::size_t>(i)].by_stars)
        for (std::size_t c = 0; c < 3; ++c) near[c].push_back(own[static_cast<std::size_t>(i)][c]);
    if (near[0].empty()) continue;  // as the nearest that is known
    Ray usual;
    for (std::size_t c = 0; c < 3; ++c) usual[c] = median(near[c]);
    Ray& here = off[static_cast<std::size_t>(k)];
    const SkyFrame& frame = fit.frames[static_cast<std::size_t>(k)];
    double share = 0;
    if (frame.by_stars) {
      const double exact = kDoubt * fit.left / fit.lens.focal / std::sqrt(frame.stars),
                   away = std::hypot(here[0] - usual[0], here[1] - usual[1], here[2] - usual[2]);
      if (away > exact) share = 1 - exact * exact / (away * away);
    }
    for (std::size_t c = 0; c < 3; ++c) here[c] = usual[c] + share * (here[c] - usual[c]);
  }
}

}  // namespace

void turn_frames(const std::vector<StarFrame>& frames, const std::vector<std::vector<Point>>& stars,
                 SkyFit& fit) {
  const int count = static_cast<int>(frames.size());
  auto by_clock = [&](int k) {
    const auto i = static_cast<std::size_t>(k);
    return rotation_about(fit.pole, kSkyRate * (frames[i].time - frames.front().time));
  };
  int middle = 0;
  for (int k = 0; k < count; ++k)
    if (stars[static_cast<std::size_t>(k)].size() > stars[static_cast<std::size_t>(middle)].size())
      middle = k;
  std::vector<Ray> known, off(frames.size(), Ray{});
  // By what comes before it, on its way from the middle.
  auto take = [&](int k, const Ray& before) {
    const auto i = static_cast<std::size_t>(k);
    SkyFrame& frame = fit.frames[i];
    frame.valid = frames[i].same_camera;
    off[i] = before;
    if (!frame.valid) return;
    const Rotation clock = by_clock(k);
    Rotation turn = then(clock, rotation_of(before));
    if (k == middle) {
      for (const Point& p : stars[i]) known.push_back(turned(inverse(turn), fit.lens.ray(p)));
      frame.stars = static_cast<int>(stars[i].size());
    } else {
      frame.stars = align(fit.lens, known, stars[i], turn);
    }
    frame.by_stars = frame.stars >= kEnough;
    if (!frame.by_stars) return;
    off[i] = vector_of(then(inverse(clock), turn));
    std::vector<Point> where;
    for (const Ray& ray : known)
      if (const Ray here = turned(turn, ray); here[2] > 0.05) where.push_back(fit.lens.seen(here));
    for (const Point& p : stars[i])
      if (nearest(where, p, 2 * kStarAgrees, fit.lens.aspect) < 0)
        known.push_back(turned(inverse(turn), fit.lens.ray(p)));
  };
  take(middle, {});
  for (int k = middle + 1; k < count; ++k) take(k, off[static_cast<std::size_t>(k) - 1]);
  for (int k = middle - 1; k >= 0; --k) take(k, off[static_cast<std::size_t>(k) + 1]);
  settle(off, fit);
  for (int k = 0; k < count; ++k)
    fit.frames[static_cast<std::size_t>(k)].turn =
        then(by_clock(k), rotation_of(off[static_cast<std::size_t>(k)]));
  // Since the first frame.
  const Rotation first = inverse(fit.frames.front().turn);
  for (SkyFrame& f : fit.frames) f.turn = then(first, f.turn);
}

}  // namespace tsukimi
