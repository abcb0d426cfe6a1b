// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/hue_ring.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/hue_ring.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_HUE_RING_ONCE
#define TSUKIMI_HUE_RING_ONCE
namespace tsukimi {
constexpr int kHueSize = 1024;
enum { kTurnCos, kTurnSin, kLightness, kMuted, kHueValues };  // side by side in the table
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// A place's four values are looked up with one load: gathers are slow on many processors.
void hue_row(float* __restrict L, float* __restrict A, float* __restrict B, int width,
             const float* __restrict table) {
  const hn::CappedTag<float, kHueValues> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  constexpr int kPiece = 64;
  float part[kPiece];
  int index[kPiece];
  HWY_ALIGN float values[kPiece * kHueValues];
  for (int x0 = 0; x0 < width; x0 += kPiece) {
    float* __restrict l = L + x0, * __restrict a = A + x0, * __restrict b = B + x0;
    const int n = width - x0 < kPiece ? width - x0 : kPiece;
    for (int x = 0; x < n; ++x) {
      const float across = b[x] / (std::fabs(a[x]) + std::fabs(b[x]) + 1e-9f);
      const float diamond = a[x] >= 0 ? across + 1 : 3 - across;  // 0..4 round the circle
      float at = diamond * (kHueSize / 4);
      at = at < kHueSize - 0.001f ? at : kHueSize - 0.001f;
      const int i = static_cast<int>(at);
      index[x] = i * kHueValues;
      part[x] = at - static_cast<float>(i);
    }
    for (int x = 0; x < n; ++x) {
      const float* at = table + index[x];
      const auto t = hn::Set(d, part[x]);
      for (int k = 0; k < kHueValues; k += lanes) {
        const auto low = hn::LoadU(d, at + k), high = hn::LoadU(d, at + kHueValues + k);
        hn::StoreU(hn::Add(low, hn::Mul(t, hn::Sub(high, low))), d, values + x * kHueValues + k);
      }
    }
    for (int x = 0; x < n; ++x) {
      const float* v = values + x * kHueValues;
      const float va = a[x], vb = b[x];
      const float chroma = std::sqrt(va * va + vb * vb);
      float pale = 1 - chroma * 4;
      pale = pale > 0 ? pale : 0.0f;
      const float gain = 1 + v[kMuted] * pale * pale, weight = chroma / (chroma + 0.05f);
      l[x] = l[x] * (1 + v[kLightness] * weight);
      a[x] = gain * (v[kTurnCos] * va - v[kTurnSin] * vb);
      b[x] = gain * (v[kTurnSin] * va + v[kTurnCos] * vb);
    }
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(hue_row);

HueTable::At HueTable::ring_at(const Look& look, double hue) {
  struct Point {
    double at;
    int i;
  };
  Point points[kRingPoints];
  for (int i = 0; i < kRingPoints; ++i) points[i] = {look[ring_param(i, RingNumber::at)], i};
  std::sort(std::begin(points), std::end(points), [](Point a, Point b) { return a.at < b.at; });
  int next = 0;
  while (next < kRingPoints && points[next].at <= hue) ++next;
  const Point &a = points[(next + kRingPoints - 1) % kRingPoints], &b = points[next % kRingPoints];
  double span = b.at - a.at, into = hue - a.at;
  if (span <= 0) span += 360;
  if (into < 0) into += 360;
  const double t = 0.5 - 0.5 * std::cos(std::numbers::pi * std::clamp(into / span, 0.0, 1.0));
  auto mix = [&](RingNumber n) {
    return (1 - t) * look[ring_param(a.i, n)] + t * look[ring_param(b.i, n)];
  };
  return {mix(RingNumber::hue), mix(RingNumber::saturation), mix(RingNumber::lightness)};
}

HueTable::HueTable(const Look& look)
    : changes_(look[Param::saturation] != 0 || look[Param::muted_colours] != 0) {
  for (int i = 0; i < kRingPoints; ++i)
    for (auto n : {RingNumber::hue, RingNumber::saturation, RingNumber::lightness})
      changes_ |= look[ring_param(i, n)] != 0;
  if (!changes_) return;
  const double all = 1 + look[Param::saturation] / 100, pale = look[Param::muted_colours] / 100;
  table_.resize(static_cast<std::size_t>(kHueSize + 1) * kHueValues);
  for (int i = 0; i <= kHueSize; ++i) {
    const double diamond = 4.0 * i / kHueSize;  // as in hue_row
    const double b = diamond <= 2 ? diamond - 1 : 3 - diamond;
    const double a = diamond <= 2 ? 1 - std::fabs(b) : std::fabs(b) - 1;
    double hue = std::atan2(b, a) * 180 / std::numbers::pi;
    if (hue < 0) hue += 360;
    const At ring = ring_at(look, hue);
    const double gain = all * (1 + ring.saturation / 100),
                 turn = ring.turn * std::numbers::pi / 180;
    float* values = table_.data() + static_cast<std::size_t>(i) * kHueValues;
    values[kTurnCos] = static_cast<float>(gain * std::cos(turn));
    values[kTurnSin] = static_cast<float>(gain * std::sin(turn));
    values[kLightness] = static_cast<float>(0.5 * ring.lightness / 100);
    double from_skin = std::fabs(hue - 55);
    from_skin = std::min(from_skin, 360 - from_skin) / 30;
    values[kMuted] = static_cast<float>(pale * (1 - 0.5 * std::exp(-from_skin * from_skin)));
  }
}

void HueTable::apply(const Rows& p) const {
  HWY_DYNAMIC_DISPATCH(hue_row)(p.r, p.g, p.b, p.width, table_.data());
}

}  // namespace tsukimi
#endif
