// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/wide_range.h"

#include <algorithm>
#include <cmath>

#include "develop/shrink.h"
#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/wide_range.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_WIDE_RANGE_ONCE
#define TSUKIMI_WIDE_RANGE_ONCE
namespace tsukimi {
// 13 stops below middle grey: darker is noise, and its logarithm stays calm.
constexpr float kWideRangeFoot = 0.18f / 8192;
constexpr float kWideRangeGrey = -2.4739312f;  // log2 of middle grey, 0.18
// Stops from middle grey that the base never passes at 100. White lies 2.5 above it: a base of 4.5
// stops, two beyond white, comes to 2.25.
constexpr float kMostAbove = 4.5f, kMostBelow = 8;
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

HWY_ATTR inline float wide_log(float r, float g, float b) {
  const float light = kLumaR * r + kLumaG * g + kLumaB * b;
  return fast_log2((light > 0 ? light : 0.0f) + kWideRangeFoot);
}

void wide_log_row(const float* __restrict r, const float* __restrict g, const float* __restrict b,
                  int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] = wide_log(r[x], g[x], b[x]);
}

// The base e stops from middle grey comes to e / (1 + amount |e| / most).
void wide_range_row(float* __restrict r, float* __restrict g, float* __restrict b,
                    const float* __restrict slope, const float* __restrict offset, int width,
                    float amount) {
  const float above = amount / kMostAbove, below = amount / kMostBelow;
  for (int x = 0; x < width; ++x) {
    const float e = slope[x] * wide_log(r[x], g[x], b[x]) + offset[x] - kWideRangeGrey;
    const float far = e > 0 ? e * above : -e * below;
    const float gain = fast_exp2(-e * far / (1 + far));
    r[x] *= gain;
    g[x] *= gain;
    b[x] *= gain;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(wide_log_row);
HWY_EXPORT(wide_range_row);

namespace {

constexpr double kScales[] = {0.012, 0.04, 0.12};  // radii, of the long side
// Spread in stops that counts as texture, and from which on it is an edge (image/guided.h).
constexpr double kTexture = 0.5, kEdge = 0.6;

// One after the other, as one: both are straight in what they are given.
GuidedCoefficients after(const GuidedCoefficients& first, GuidedCoefficients then) {
  for (std::size_t i = 0; i < then.a.data.size(); ++i) {
    then.b.data[i] += then.a.data[i] * first.b.data[i];
    then.a.data[i] *= first.a.data[i];
  }
  return then;
}

}  // namespace

WideRange::WideRange(const Image& image, const Look& look)
    : amount_(static_cast<float>(look[Param::range] / 100)) {
  if (!changes()) return;
  const Image small = shrink(image);
  Plane log(small.width, small.height);
  for (int y = 0; y < small.height; ++y) HWY_DYNAMIC_DISPATCH(wide_log_row)
  (small.planes[0].row(y), small.planes[1].row(y), small.planes[2].row(y), small.width, log.row(y));
  Plane base = log;
  for (const double scale : kScales) {
    const double radius = scale * std::max(small.width, small.height);
    const GuidedCoefficients smooth = guided_filter(
        base, base, std::max(1, static_cast<int>(std::lround(radius))), kTexture, kEdge);
    base_ = base_.a.data.empty() ? smooth : after(base_, smooth);
    for (std::size_t i = 0; i < log.data.size(); ++i)
      base.data[i] = base_.a.data[i] * log.data[i] + base_.b.data[i];
  }
  enlarge_ = Enlarge(small.size(), image.size());
}

void WideRange::apply(const Rows& rows, int y) const {
  thread_local std::vector<float> scratch;
  scratch.resize(static_cast<std::size_t>(rows.width) * 2);
  float *slope = scratch.data(), *offset = slope + rows.width;
  enlarge_.row(base_, y, slope, offset);
  HWY_DYNAMIC_DISPATCH(wide_range_row)
  (rows.r, rows.g, rows.b, slope, offset, rows.width, amount_);
}

}  // namespace tsukimi
#endif
