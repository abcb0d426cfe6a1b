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
struct HueTables {
  const float *turn_cos, *turn_sin, *lightness, *muted;
};
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// Written for Highway, see tone_table.cpp.
template <class D>
HWY_ATTR void hue_lanes(D d, float* L, float* A, float* B, const HueTables& t) {
  const hn::RebindToSigned<D> di;
  auto set = [&](float v) HWY_ATTR { return hn::Set(d, v); };
  const auto a = hn::LoadU(d, A), b = hn::LoadU(d, B), l = hn::LoadU(d, L);
  const auto size = hn::Add(hn::Add(hn::Abs(a), hn::Abs(b)), set(1e-9f));
  const auto across = hn::Div(b, size);
  // 0..4 round the circle.
  const auto diamond =
      hn::IfThenElse(hn::Ge(a, hn::Zero(d)), hn::Add(across, set(1)), hn::Sub(set(3), across));
  const auto at = hn::Min(hn::Mul(diamond, set(kHueSize / 4)), set(kHueSize - 0.001f));
  const auto i = hn::ConvertTo(di, at);
  const auto part = hn::Sub(at, hn::ConvertTo(d, i));
  auto look_up = [&](const float* table) HWY_ATTR {
    const auto low = hn::GatherIndex(d, table, i), high = hn::GatherIndex(d, table + 1, i);
    return hn::Add(low, hn::Mul(part, hn::Sub(high, low)));
  };
  const auto c = look_up(t.turn_cos), s = look_up(t.turn_sin);
  const auto chroma = hn::Sqrt(hn::Add(hn::Mul(a, a), hn::Mul(b, b)));
  const auto pale = hn::Max(hn::Sub(set(1), hn::Mul(chroma, set(4))), hn::Zero(d));
  const auto gain = hn::Add(set(1), hn::Mul(hn::Mul(look_up(t.muted), pale), pale));
  const auto weight = hn::Div(chroma, hn::Add(chroma, set(0.05f)));
  hn::StoreU(hn::Mul(l, hn::Add(set(1), hn::Mul(look_up(t.lightness), weight))), d, L);
  hn::StoreU(hn::Mul(gain, hn::Sub(hn::Mul(c, a), hn::Mul(s, b))), d, A);
  hn::StoreU(hn::Mul(gain, hn::Add(hn::Mul(s, a), hn::Mul(c, b))), d, B);
}

void hue_row(float* L, float* A, float* B, int width, const HueTables& tables) {
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) hue_lanes(d, L + x, A + x, B + x, tables);
  for (; x < width; ++x) hue_lanes(hn::CappedTag<float, 1>(), L + x, A + x, B + x, tables);
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
  for (auto* t : {&turn_cos_, &turn_sin_, &lightness_, &muted_}) t->resize(kHueSize + 1);
  for (int i = 0; i <= kHueSize; ++i) {
    const double diamond = 4.0 * i / kHueSize;  // as in hue_row
    const double b = diamond <= 2 ? diamond - 1 : 3 - diamond;
    const double a = diamond <= 2 ? 1 - std::fabs(b) : std::fabs(b) - 1;
    double hue = std::atan2(b, a) * 180 / std::numbers::pi;
    if (hue < 0) hue += 360;
    const At ring = ring_at(look, hue);
    const double gain = all * (1 + ring.saturation / 100),
                 turn = ring.turn * std::numbers::pi / 180;
    turn_cos_[i] = static_cast<float>(gain * std::cos(turn));
    turn_sin_[i] = static_cast<float>(gain * std::sin(turn));
    lightness_[i] = static_cast<float>(0.5 * ring.lightness / 100);
    double from_skin = std::fabs(hue - 55);
    from_skin = std::min(from_skin, 360 - from_skin) / 30;
    muted_[i] = static_cast<float>(pale * (1 - 0.5 * std::exp(-from_skin * from_skin)));
  }
}

void HueTable::apply(const Rows& p) const {
  HWY_DYNAMIC_DISPATCH(hue_row)
  (p.r, p.g, p.b, p.width, {turn_cos_.data(), turn_sin_.data(), lightness_.data(), muted_.data()});
}

}  // namespace tsukimi
#endif
