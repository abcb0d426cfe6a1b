// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/colour.h"

#include <algorithm>
#include <cmath>

#include "image/fast_math.h"

namespace tsukimi {
namespace {

struct Uv {
  double u, v;  // CIE 1960
};

Uv to_uv(Chromaticity c) {
  const double d = -2 * c.x + 12 * c.y + 3;
  return {4 * c.x / d, 6 * c.y / d};
}

Chromaticity from_uv(Uv p) {
  const double d = 2 * p.u - 8 * p.v + 4;
  return {3 * p.u / d, 2 * p.v / d};
}

// Krystek 1985: rational approximation of the Planckian locus, 1000 to 15000 K.
Uv planckian(double t) {
  return {(0.860117757 + 1.54118254e-4 * t + 1.28641212e-7 * t * t) /
              (1 + 8.42420235e-4 * t + 7.08145163e-7 * t * t),
          (0.317398726 + 4.22806245e-5 * t + 4.20481691e-8 * t * t) /
              (1 - 2.89741816e-5 * t + 1.61456053e-7 * t * t)};
}

// CIE 015: daylight locus, 4000 to 25000 K.
Uv daylight(double t) {
  const double i = 1e3 / t;
  const double x = t <= 7000 ? 0.244063 + 0.09911 * i + 2.9678 * i * i - 4.6070 * i * i * i
                             : 0.237040 + 0.24748 * i + 1.9018 * i * i - 2.0064 * i * i * i;
  return to_uv({x, -3.0 * x * x + 2.870 * x - 0.275});
}

Uv locus(double kelvin) {
  // Blend in mired so that the locus stays smooth between the two.
  const double w = std::clamp((1e6 / 4000 - 1e6 / kelvin) / (1e6 / 4000 - 1e6 / 5000), 0.0, 1.0);
  const double s = smooth_step(w);
  if (s <= 0) return planckian(kelvin);
  if (s >= 1) return daylight(kelvin);
  const Uv a = planckian(kelvin), b = daylight(kelvin);
  return {a.u + s * (b.u - a.u), a.v + s * (b.v - a.v)};
}

// Unit normal to the locus, pointing to green (larger v).
Uv normal(double kelvin) {
  const double mired = 1e6 / kelvin;
  const Uv a = locus(1e6 / (mired + 0.5)), b = locus(1e6 / std::max(mired - 0.5, 1.0));
  const double du = b.u - a.u, dv = b.v - a.v, len = std::hypot(du, dv);
  Uv n{-dv / len, du / len};
  if (n.v < 0) n = {-n.u, -n.v};
  return n;
}

constexpr double kTintScale = 1.0 / 3000;

}  // namespace

Mat3 operator*(const Mat3& a, const Mat3& b) {
  Mat3 r;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) r(i, j) = a(i, 0) * b(0, j) + a(i, 1) * b(1, j) + a(i, 2) * b(2, j);
  return r;
}

Vec3 operator*(const Mat3& a, const Vec3& v) {
  Vec3 r;
  for (int i = 0; i < 3; ++i) r[i] = a(i, 0) * v[0] + a(i, 1) * v[1] + a(i, 2) * v[2];
  return r;
}

Mat3 inverse(const Mat3& a) {
  Mat3 r;
  auto cofactor = [&](int i, int j) {
    const int i1 = (i + 1) % 3, i2 = (i + 2) % 3, j1 = (j + 1) % 3, j2 = (j + 2) % 3;
    return a(i1, j1) * a(i2, j2) - a(i1, j2) * a(i2, j1);
  };
  const double det = a(0, 0) * cofactor(0, 0) + a(0, 1) * cofactor(0, 1) + a(0, 2) * cofactor(0, 2);
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) r(j, i) = cofactor(i, j) / det;
  return r;
}

Mat3 diagonal(const Vec3& v) { return Mat3{{v[0], 0, 0, 0, v[1], 0, 0, 0, v[2]}}; }

Mat3 mix(const Mat3& a, const Mat3& b, double w) {
  Mat3 r;
  for (int i = 0; i < 9; ++i) r.m[i] = a.m[i] + w * (b.m[i] - a.m[i]);
  return r;
}

Vec3 to_xyz(Chromaticity c) { return {c.x / c.y, 1.0, (1 - c.x - c.y) / c.y}; }

Chromaticity to_chromaticity(const Vec3& v) {
  const double sum = v[0] + v[1] + v[2];
  return sum > 0 ? Chromaticity{v[0] / sum, v[1] / sum} : Chromaticity{};
}

Chromaticity light_chromaticity(double kelvin, double tint) {
  kelvin = std::clamp(kelvin, 2000.0, 25000.0);
  const Uv p = locus(kelvin), n = normal(kelvin);
  return from_uv({p.u + n.u * tint * kTintScale, p.v + n.v * tint * kTintScale});
}

TemperatureTint temperature_of(Chromaticity c) {
  const Uv q = to_uv(c);
  auto distance = [&](double mired) {
    const Uv p = locus(1e6 / mired);
    return std::hypot(p.u - q.u, p.v - q.v);
  };
  double lo = 40, hi = 500;  // 25000 K .. 2000 K
  for (int pass = 0; pass < 4;
       ++pass) {  // nested grid: the distance has one minimum near the locus
    const double step = (hi - lo) / 24;
    double best = lo;
    for (int i = 0; i <= 24; ++i)
      if (distance(lo + i * step) < distance(best)) best = lo + i * step;
    lo = std::max(40.0, best - step);
    hi = std::min(500.0, best + step);
  }
  const double kelvin = 1e6 / ((lo + hi) / 2);
  const Uv p = locus(kelvin), n = normal(kelvin);
  return {kelvin, ((q.u - p.u) * n.u + (q.v - p.v) * n.v) / kTintScale};
}

Mat3 bradford(Chromaticity from, Chromaticity to) {
  const Mat3 b{{0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296}};
  const Vec3 f = b * to_xyz(from), t = b * to_xyz(to);
  return inverse(b) * diagonal({t[0] / f[0], t[1] / f[1], t[2] / f[2]}) * b;
}

Mat3 primaries_to_xyz(Chromaticity r, Chromaticity g, Chromaticity b, Chromaticity white) {
  const Vec3 xr = to_xyz(r), xg = to_xyz(g), xb = to_xyz(b);
  const Mat3 p{{xr[0], xg[0], xb[0], xr[1], xg[1], xb[1], xr[2], xg[2], xb[2]}};
  return p * diagonal(inverse(p) * to_xyz(white));
}
static const Chromaticity kD65{};

const Mat3& rec2020_to_xyz() {
  static const Mat3 m = primaries_to_xyz({.708, .292}, {.170, .797}, {.131, .046}, kD65);
  return m;
}
const Mat3& xyz_to_rec2020() {
  static const Mat3 m = inverse(rec2020_to_xyz());
  return m;
}
const Mat3& srgb_to_rec2020() {
  static const Mat3 m =
      xyz_to_rec2020() * primaries_to_xyz({.64, .33}, {.30, .60}, {.15, .06}, kD65);
  return m;
}
const Mat3& rec2020_to_srgb() {
  static const Mat3 m = inverse(srgb_to_rec2020());
  return m;
}

float srgb_encode(float v) {
  const float a = std::fabs(v);
  const float e = a <= 0.0031308f ? 12.92f * a : 1.055f * std::pow(a, 1 / 2.4f) - 0.055f;
  return std::copysign(e, v);
}

float srgb_decode(float v) {
  const float a = std::fabs(v);
  const float l = a <= 0.04045f ? a / 12.92f : std::pow((a + 0.055f) / 1.055f, 2.4f);
  return std::copysign(l, v);
}

}  // namespace tsukimi
