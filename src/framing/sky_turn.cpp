// SPDX-License-Identifier: GPL-3.0-or-later
#include "framing/sky_turn.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

Ray turned(const Rotation& m, const Ray& v) {
  return {m[0] * v[0] + m[1] * v[1] + m[2] * v[2], m[3] * v[0] + m[4] * v[1] + m[5] * v[2],
          m[6] * v[0] + m[7] * v[1] + m[8] * v[2]};
}

Rotation then(const Rotation& a, const Rotation& b) {
  Rotation out{};
  for (std::size_t i = 0; i < 3; ++i)
    for (std::size_t j = 0; j < 3; ++j)
      for (std::size_t k = 0; k < 3; ++k) out[3 * i + j] += b[3 * i + k] * a[3 * k + j];
  return out;
}

Rotation inverse(const Rotation& r) {
  return {r[0], r[3], r[6], r[1], r[4], r[7], r[2], r[5], r[8]};
}

// Rodrigues' formula.
Rotation rotation_about(const Ray& a, double radians) {
  const double c = std::cos(radians), s = std::sin(radians), d = 1 - c;
  return {c + a[0] * a[0] * d,        a[0] * a[1] * d - a[2] * s, a[0] * a[2] * d + a[1] * s,
          a[1] * a[0] * d + a[2] * s, c + a[1] * a[1] * d,        a[1] * a[2] * d - a[0] * s,
          a[2] * a[0] * d - a[1] * s, a[2] * a[1] * d + a[0] * s, c + a[2] * a[2] * d};
}

double angle_of(const Rotation& r) {
  const double sine = std::hypot(r[7] - r[5], r[2] - r[6], r[3] - r[1]) / 2,
               cosine = (r[0] + r[4] + r[8] - 1) / 2;
  return std::atan2(sine, cosine);
}

Rotation part_of(const Rotation& r, double share) {
  Ray axis{r[7] - r[5], r[2] - r[6], r[3] - r[1]};
  const double length = std::hypot(axis[0], axis[1], axis[2]);
  if (length < 1e-14) return kNoRotation;
  for (double& v : axis) v /= length;
  return rotation_about(axis, share * angle_of(r));
}

Ray SkyLens::ray(Point p) const {
  const double x = p.x - 0.5, y = (p.y - 0.5) / aspect, drawn = std::hypot(x, y);
  // The radius before it was bent: Newton's method on r (1 + bend r^2) = drawn.
  double r = drawn;
  if (bend != 0)
    for (int round = 0; round < 6; ++round) {
      const double slope = 1 + 3 * bend * r * r;
      r -= (r * (1 + bend * r * r) - drawn) / (slope > 0.1 ? slope : 0.1);
    }
  const double by = drawn > 0 ? r / drawn : 1;
  const double length = std::hypot(x * by, y * by, focal);
  return {x * by / length, y * by / length, focal / length};
}

Point SkyLens::seen(const Ray& v) const {
  constexpr double kLeastAhead = 0.02;  // nothing is seen nearly sideways
  const double z = std::max(v[2], kLeastAhead);
  const double x = focal * v[0] / z, y = focal * v[1] / z;
  const double by = std::max(1 + bend * (x * x + y * y), 0.1);
  return {0.5 + x * by, 0.5 + y * by * aspect};
}

SkyTurn inverse(const SkyTurn& t) { return {t.lens, inverse(t.turn)}; }

}  // namespace tsukimi
