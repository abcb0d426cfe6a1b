// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/place_light.h"

#include <algorithm>
#include <cmath>

#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/place_light.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void expose_row(float* __restrict r, float* __restrict g, float* __restrict b,
                const float* __restrict stops, int width) {
  for (int x = 0; x < width; ++x) {
    const float gain = fast_exp2(stops[x]);
    r[x] *= gain;
    g[x] *= gain;
    b[x] *= gain;
  }
}

void cones_row(float* __restrict r, float* __restrict g, float* __restrict b,
               const float* __restrict long_stops, const float* __restrict middle_stops,
               const float* __restrict short_stops, int width, const Mat3f& to_cones,
               const Mat3f& from_cones) {
  const Mat3f in = to_cones, out = from_cones;
  for (int x = 0; x < width; ++x) {
    const float l = (in.m[0] * r[x] + in.m[1] * g[x] + in.m[2] * b[x]) * fast_exp2(long_stops[x]),
                m = (in.m[3] * r[x] + in.m[4] * g[x] + in.m[5] * b[x]) * fast_exp2(middle_stops[x]),
                s = (in.m[6] * r[x] + in.m[7] * g[x] + in.m[8] * b[x]) * fast_exp2(short_stops[x]);
    r[x] = out.m[0] * l + out.m[1] * m + out.m[2] * s;
    g[x] = out.m[3] * l + out.m[4] * m + out.m[5] * s;
    b[x] = out.m[6] * l + out.m[7] * m + out.m[8] * s;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(expose_row);
HWY_EXPORT(cones_row);

namespace {

struct Cones {
  Mat3 to, from;  // linear Rec. 2020 to Bradford's cones, and back
  Mat3f to_f{to}, from_f{from};
};

const Cones& cones() {
  static const Cones all = [] {
    const Mat3 xyz_to_cones{
        {0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296}};
    const Mat3 to = xyz_to_cones * rec2020_to_xyz();
    return Cones{to, inverse(to)};
  }();
  return all;
}

// Stops for the cones when what the look shows as neutral is shifted.
Vec3 cone_stops(const Look& look, double kelvin, double tint) {
  constexpr double kLowest = 2000, kHighest = 25000;  // K
  const double t = look[Param::temperature], shifted = std::clamp(t + kelvin, kLowest, kHighest);
  const Mat3 xyz_to_cones = cones().to * xyz_to_rec2020();
  const Vec3 before = xyz_to_cones * to_xyz(light_chromaticity(t, look[Param::tint])),
             after = xyz_to_cones * to_xyz(light_chromaticity(shifted, look[Param::tint] + tint));
  Vec3 gains{before[0] / after[0], before[1] / after[1], before[2] / after[2]};
  const Vec3 white = cones().to * Vec3{1, 1, 1};
  const Vec3 rgb =
      cones().from * Vec3{white[0] * gains[0], white[1] * gains[1], white[2] * gains[2]};
  const double light = kLumaR * rgb[0] + kLumaG * rgb[1] + kLumaB * rgb[2];
  for (double& g : gains) g = std::log2(g / light);
  return gains;
}

}  // namespace

PlaceLight::PlaceLight(const LocalAmounts& amounts, const Look& look)
    : amounts_(amounts),
      exposes_(amounts.uses(Param::place_exposure)),
      tints_(amounts.uses(Param::place_temperature) || amounts.uses(Param::place_tint)) {
  if (!tints_) return;
  for (const PlaceAt& p : amounts.places()) {
    const Vec3 stops =
        cone_stops(look, p.values[Param::place_temperature], p.values[Param::place_tint]);
    for (std::size_t c = 0; c < 3; ++c)
      cones_[c].push_back(
          static_cast<float>((stops[c] + p.values[Param::place_exposure]) * p.share()));
  }
}

void PlaceLight::apply(const Rows& p, int y) const {
  thread_local std::vector<float> scratch;
  const auto width = static_cast<std::size_t>(p.width);
  scratch.resize(3 * width);
  float* stops[3] = {scratch.data(), scratch.data() + width, scratch.data() + 2 * width};
  if (!tints_) {
    amounts_.sum(Param::place_exposure, y, stops[0]);
    HWY_DYNAMIC_DISPATCH(expose_row)(p.r, p.g, p.b, stops[0], p.width);
    return;
  }
  for (std::size_t c = 0; c < 3; ++c) amounts_.sum(cones_[c], y, stops[c]);
  HWY_DYNAMIC_DISPATCH(cones_row)
  (p.r, p.g, p.b, stops[0], stops[1], stops[2], p.width, cones().to_f, cones().from_f);
}

}  // namespace tsukimi
#endif
