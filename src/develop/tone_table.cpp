#include "develop/tone_table.h"

#include <cmath>

#include "develop/contrast.h"
#include "develop/points.h"
#include "develop/tone_curve.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/tone_table.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_TONE_TABLE_ONCE
#define TSUKIMI_TONE_TABLE_ONCE
namespace tsukimi {
constexpr int kToneSize = 2048;
constexpr float kToneMost = 2;  // v; two stops above white
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// Written for Highway: compilers do not turn table look-ups into gathers by themselves. Multiply
// and add stay apart, so that every instruction set gives the same bits.
template <class D>
HWY_ATTR void tone_lanes(D d, float* row, const float* table, float below, float last, float rise) {
  const hn::RebindToSigned<D> di;
  constexpr float kScale = kToneSize / kToneMost;
  const auto zero = hn::Zero(d), in = hn::LoadU(d, row);
  const auto at = hn::Mul(hn::Sqrt(hn::Max(in, zero)), hn::Set(d, kScale));
  const auto held = hn::Min(at, hn::Set(d, static_cast<float>(kToneSize - 1)));
  const auto i = hn::ConvertTo(di, held);
  const auto part = hn::Sub(held, hn::ConvertTo(d, i));
  const auto a = hn::GatherIndex(d, table, i), b = hn::GatherIndex(d, table + 1, i);
  const auto inside = hn::Add(a, hn::Mul(part, hn::Sub(b, a)));
  const auto size = hn::Set(d, static_cast<float>(kToneSize));
  const auto above = hn::Add(hn::Set(d, last), hn::Mul(hn::Sub(at, size), hn::Set(d, rise)));
  const auto out = hn::IfThenElse(hn::Gt(at, size), above, inside);
  const auto dark = hn::Add(hn::Set(d, table[0]), hn::Mul(in, hn::Set(d, below)));
  hn::StoreU(hn::IfThenElse(hn::Lt(in, zero), dark, out), d, row);
}

void tone_row(float* row, int width, const float* table, float below) {
  const float last = table[kToneSize], rise = table[kToneSize] - table[kToneSize - 1];
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) tone_lanes(d, row + x, table, below, last, rise);
  for (; x < width; ++x) tone_lanes(hn::CappedTag<float, 1>(), row + x, table, below, last, rise);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(tone_row);

ToneTable::ToneTable(const Look& look) : changes_(false) {
  const double white = look[Param::white_point], black = look[Param::black_point],
               contrast = look[Param::contrast];
  const ToneCurve master(look, 0);
  const ToneCurve channel[3] = {{look, 1}, {look, 2}, {look, 3}};
  changes_ = white != 0 || black != 0 || contrast != 0 || master.changes() ||
             channel[0].changes() || channel[1].changes() || channel[2].changes();
  if (!changes_) return;
  std::vector<double> shared(kToneSize + 1);
  const bool curves =
      master.changes() || channel[0].changes() || channel[1].changes() || channel[2].changes();
  for (int i = 0; i <= kToneSize; ++i) {
    double v = static_cast<double>(kToneMost) * i / kToneSize;
    v = points_at(v, white, black);
    v = v > 0 ? contrast_at(v, contrast) : v;
    const double linear = v > 0 ? v * v : 0;
    shared[i] = curves ? srgb_encode(static_cast<float>(linear)) : linear;
    if (master.changes()) shared[i] = master.at(shared[i]);
  }
  for (int c = 0; c < 3; ++c) {
    auto& t = table_[c];
    t.resize(kToneSize + 1);
    for (int i = 0; i <= kToneSize; ++i) {
      const double v = channel[c].at(shared[i]);
      t[i] = curves ? srgb_decode(static_cast<float>(v)) : static_cast<float>(v);
    }
    // Noise below black goes on with the slope that the table begins with.
    constexpr int kFoot = 16;
    const double v = static_cast<double>(kToneMost) * kFoot / kToneSize;
    below_[c] = static_cast<float>((t[kFoot] - t[0]) / (v * v));
  }
}

void ToneTable::apply(const Rows& rows) const {
  float* row[3] = {rows.r, rows.g, rows.b};
  for (int c = 0; c < 3; ++c)
    HWY_DYNAMIC_DISPATCH(tone_row)(row[c], rows.width, table_[c].data(), below_[c]);
}

}  // namespace tsukimi
#endif
