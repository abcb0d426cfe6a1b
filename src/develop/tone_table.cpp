// SPDX-License-Identifier: GPL-3.0-or-later
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

// table: value and rise to the next. Look-ups are plain loads: gathers are slow on many processors.
void tone_row(float* __restrict row, int width, const float* __restrict table, float below) {
  constexpr float kScale = kToneSize / kToneMost;
  constexpr int kPiece = 256;
  const float first = table[0], last = table[2 * kToneSize], rise = table[2 * kToneSize - 1];
  float at[kPiece], part[kPiece], inside[kPiece];
  int index[kPiece];
  for (int x0 = 0; x0 < width; x0 += kPiece) {
    float* __restrict in = row + x0;
    const int n = width - x0 < kPiece ? width - x0 : kPiece;
    for (int x = 0; x < n; ++x) {
      const float v = std::sqrt(in[x] > 0 ? in[x] : 0.0f) * kScale;
      const float held = v < kToneSize - 1 ? v : static_cast<float>(kToneSize - 1);
      const int i = static_cast<int>(held);
      at[x] = v;
      index[x] = 2 * i;
      part[x] = held - static_cast<float>(i);
    }
    for (int x = 0; x < n; ++x) inside[x] = table[index[x]] + part[x] * table[index[x] + 1];
    for (int x = 0; x < n; ++x) {
      const float above = last + (at[x] - kToneSize) * rise, dark = first + in[x] * below;
      const float out = at[x] > kToneSize ? above : inside[x];
      in[x] = in[x] < 0 ? dark : out;
    }
  }
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
    t.resize(2 * (kToneSize + 1));
    for (int i = 0; i <= kToneSize; ++i) {
      const double v = channel[c].at(shared[i]);
      t[2 * i] = curves ? srgb_decode(static_cast<float>(v)) : static_cast<float>(v);
    }
    for (int i = 0; i < kToneSize; ++i) t[2 * i + 1] = t[2 * i + 2] - t[2 * i];
    // Noise below black goes on with the slope that the table begins with.
    constexpr int kFoot = 16;
    const double v = static_cast<double>(kToneMost) * kFoot / kToneSize;
    below_[c] = static_cast<float>((t[2 * kFoot] - t[0]) / (v * v));
  }
}

void ToneTable::apply(const Rows& rows) const {
  float* row[3] = {rows.r, rows.g, rows.b};
  for (int c = 0; c < 3; ++c)
    HWY_DYNAMIC_DISPATCH(tone_row)(row[c], rows.width, table_[c].data(), below_[c]);
}

}  // namespace tsukimi
#endif
