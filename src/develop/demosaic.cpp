// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/demosaic.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/demosaic.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_DEMOSAIC_ONCE
#define TSUKIMI_DEMOSAIC_ONCE
namespace tsukimi {

// A block of columns goes through the mosaic from top to bottom; of every step just the latest rows
// are kept, so that all of it stays in the second-level cache.
constexpr int kBlock = 496, kMargin = 8, kStride = kBlock + 2 * kMargin, kRing = 16;

// Rows of one step, by the mosaic's row number.
struct RowRing {
  float rows[kRing][kStride];
  float* operator[](int y) { return rows[y & (kRing - 1)]; }
};

// "Difference" is red or blue minus green.
struct DemosaicBlock {
  RowRing light;
  RowRing along_rows, along_columns;  // difference, by direction of interpolation
  RowRing balance;                    // how unsteady it is along rows, less that along columns
  RowRing vary;                       // the same over a 5x5 window; below 0: rows win
  RowRing own;                        // the difference along the winning direction
  RowRing other;                      // at green pixels: blue minus red
  RowRing red_minus, blue_minus;
  float window[kStride];
  float chroma[2][kStride];  // per row parity: 1 where a pixel is red or blue, -1 where green
  float red_row[2];          // per row parity: 1 where the row holds red, -1 where blue
};

struct LoadRow {
  float black[2], scale[2], most[2];  // of even and odd x
};

}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void interpolate_row(DemosaicBlock& t, int y) {
  const float* __restrict c = t.light[y], * __restrict u1 = t.light[y - 1], * __restrict u2 = t.light[y - 2], * __restrict d1 = t.light[y + 1], * __restrict d2 = t.light[y + 2], * __restrict s = t.chroma[y & 1];
  float* __restrict rows = t.along_rows[y], * __restrict columns = t.along_columns[y];
  for (int x = 2; x < kStride - 2; ++x) {
    const float there = 0.5f * (c[x - 1] + c[x + 1]) + 0.25f * (2 * c[x] - c[x - 2] - c[x + 2]);
    rows[x] = s[x] * (c[x] - there);
    const float here = 0.5f * (u1[x] + d1[x]) + 0.25f * (2 * c[x] - u2[x] - d2[x]);
    columns[x] = s[x] * (c[x] - here);
  }
}

void balance_row(DemosaicBlock& t, int y) {
  const float* __restrict r = t.along_rows[y], * __restrict v = t.along_columns[y], * __restrict up = t.along_columns[y - 2], * __restrict down = t.along_columns[y + 2];
  float* __restrict out = t.balance[y];
  for (int x = 4; x < kStride - 4; ++x)
    out[x] = std::fabs(r[x] - r[x + 2]) + std::fabs(r[x] - r[x - 2]) - std::fabs(v[x] - down[x]) -
             std::fabs(v[x] - up[x]);
}

void decide_row(DemosaicBlock& t, int y) {
  const float* __restrict a = t.balance[y - 2], * __restrict b = t.balance[y - 1], * __restrict c = t.balance[y], * __restrict d = t.balance[y + 1], * __restrict e = t.balance[y + 2];
  float* __restrict sum = t.window;
  for (int x = 4; x < kStride - 4; ++x) sum[x] = a[x] + b[x] + c[x] + d[x] + e[x];
  const float* __restrict rows = t.along_rows[y], * __restrict columns = t.along_columns[y];
  float* __restrict vary = t.vary[y], * __restrict own = t.own[y];
  for (int x = 6; x < kStride - 6; ++x) {
    const float total = sum[x - 2] + sum[x - 1] + sum[x] + sum[x + 1] + sum[x + 2];
    vary[x] = total;
    own[x] = total < 0 ? rows[x] : columns[x];
  }
}

void at_green_row(DemosaicBlock& t, int y) {
  const float* __restrict own = t.own[y], * __restrict up = t.own[y - 1], * __restrict down = t.own[y + 1];
  const float sign = t.red_row[y & 1];
  float* __restrict other = t.other[y], * __restrict red = t.red_minus[y], * __restrict blue = t.blue_minus[y];
  for (int x = 7; x < kStride - 7; ++x) {
    const float in_row = 0.5f * (own[x - 1] + own[x + 1]), in_column = 0.5f * (up[x] + down[x]);
    other[x] = sign * (in_column - in_row);
    red[x] = sign > 0 ? in_row : in_column;
    blue[x] = sign > 0 ? in_column : in_row;
  }
}

// width values of row y, from the block's margin on.
void finish_row(DemosaicBlock& t, int y, int width, float* __restrict r, float* __restrict g,
                float* __restrict b) {
  const float* __restrict light = t.light[y], * __restrict other = t.other[y], * __restrict up = t.other[y - 1], * __restrict down = t.other[y + 1], * __restrict vary = t.vary[y], * __restrict own = t.own[y], * __restrict s = t.chroma[y & 1], * __restrict red = t.red_minus[y], * __restrict blue = t.blue_minus[y];
  const float sign = t.red_row[y & 1];
  // What is interpolated falls beside a glint; never below black where nothing round it did.
  const float* __restrict light_up = t.light[y - 1], * __restrict light_down = t.light[y + 1];
  float* __restrict least = t.window;
  for (int x = kMargin - 1; x < kMargin + width + 1; ++x) {
    float v = light[x] < light_up[x] ? light[x] : light_up[x];
    v = v < light_down[x] ? v : light_down[x];
    least[x] = v < 0 ? v : 0.0f;
  }
  for (int i = 0; i < width; ++i) {
    const int x = i + kMargin;
    const float beside = 0.5f * (other[x - 1] + other[x + 1]), above = 0.5f * (up[x] + down[x]);
    const float apart = vary[x] < 0 ? beside : above;  // blue minus red
    const float red_here = sign > 0 ? own[x] : own[x] - apart;
    const float blue_here = sign > 0 ? own[x] + apart : own[x];
    const float green = s[x] > 0 ? light[x] - own[x] : light[x];
    float floor = least[x - 1] < least[x] ? least[x - 1] : least[x];
    floor = floor < least[x + 1] ? floor : least[x + 1];
    const float red_full = green + (s[x] > 0 ? red_here : red[x]),
                blue_full = green + (s[x] > 0 ? blue_here : blue[x]);
    r[i] = red_full > floor ? red_full : floor;
    g[i] = green > floor ? green : floor;
    b[i] = blue_full > floor ? blue_full : floor;
  }
}

// All that becomes known when the row eight below y is there. age: rows since the first that is
// wanted.
void demosaic_row(DemosaicBlock& t, int y, int age, int width, float* r, float* g, float* b) {
  if (age >= -12) interpolate_row(t, y + 6);
  if (age >= -8) balance_row(t, y + 4);
  if (age >= -4) decide_row(t, y + 2);
  if (age >= -2) at_green_row(t, y + 1);
  if (age >= 0) finish_row(t, y, width, r, g, b);
}

// The highest number of the row.
template <typename Number>
Number load_numbers(const Number* __restrict in, int width, const LoadRow& how,
                    float* __restrict out) {
  const float b0 = how.black[0], b1 = how.black[1], s0 = how.scale[0], s1 = how.scale[1],
              m0 = how.most[0], m1 = how.most[1];
  for (int x = 0; x < width; ++x) {
    const float v = (static_cast<float>(in[x]) - ((x & 1) ? b1 : b0)) * ((x & 1) ? s1 : s0);
    const float most = (x & 1) ? m1 : m0;
    out[x] = v < most ? v : most;
  }
  Number top = 0;
  for (int x = 0; x < width; ++x) top = top > in[x] ? top : in[x];
  return top;
}

std::uint16_t load_row(const std::uint16_t* __restrict in, int width, const LoadRow& how,
                       float* __restrict out) {
  return load_numbers(in, width, how, out);
}

float load_merged_row(const float* __restrict in, int width, const LoadRow& how,
                      float* __restrict out) {
  return load_numbers(in, width, how, out);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(demosaic_row);
HWY_EXPORT(load_row);
HWY_EXPORT(load_merged_row);

namespace {

// Mirrored without repeating the border pixel, so that the Bayer phase holds.
int mirrored(int i, int n) {
  while (i < 0 || i >= n) i = i < 0 ? -i : 2 * n - 2 - i;
  return i;
}

// Row y of the mosaic, from column `left` (even) on. True when something in it may be clipped.
bool load(const Mosaic& mosaic, const BeforeDemosaic& before, int left, int y, float* out) {
  const int at = mirrored(y, mosaic.height);
  const int a = std::max(0, left), b = std::min(mosaic.width, left + kStride);
  LoadRow how;
  float gain[2], begin = 1e9f;
  for (int i = 0; i < 2; ++i) {
    const int place = Mosaic::place(i, at);
    gain[i] = before.gains[mosaic.cfa[place]];
    how.black[i] = mosaic.black[place];
    how.scale[i] = mosaic.scale[place] * gain[i];
    how.most[i] = before.recover ? gain[i] : 1e9f;
    begin = std::min(begin, mosaic.black[place] + ClipGuide::kBegin / mosaic.scale[place]);
  }
  const float top = mosaic.merged ? HWY_DYNAMIC_DISPATCH(load_merged_row)(
                                        mosaic.merged_row(at) + a, b - a, how, out + a - left)
                                  : static_cast<float>(HWY_DYNAMIC_DISPATCH(load_row)(
                                        mosaic.row(at) + a, b - a, how, out + a - left));
  if (before.hot) {
    auto hot = std::lower_bound(before.hot->begin(), before.hot->end(), at,
                                [](const HotPixel& p, int row) { return p.y < row; });
    for (; hot != before.hot->end() && hot->y == at; ++hot)
      if (hot->strength >= before.hot_limit && hot->x >= a && hot->x < b)
        out[hot->x - left] = mended(mosaic, hot->x, at) * gain[hot->x & 1];
  }
  auto edge = [&](int x) { out[x] = out[mirrored(left + x, mosaic.width) - left]; };
  for (int x = a - left - 1; x >= 0; --x) edge(x);
  for (int x = b - left; x < kStride; ++x) {
    // Far beyond the right border of a narrow picture nothing is wanted.
    if (mirrored(left + x, mosaic.width) >= a) edge(x);
  }
  return top >= begin;
}

}  // namespace

void demosaic_part(const Mosaic& mosaic, const BeforeDemosaic& before, MosaicPart part,
                   Image& out) {
  auto t = std::make_unique<DemosaicBlock>();
  for (int p = 0; p < 2; ++p) {  // margins are even: the phase of block and mosaic are one
    t->red_row[p] = mosaic.cfa[p * 2] == 0 || mosaic.cfa[p * 2 + 1] == 0 ? 1.0f : -1.0f;
    for (int x = 0; x < kStride; ++x)
      t->chroma[p][x] = mosaic.cfa[p * 2 + (x & 1)] == 1 ? -1.0f : 1.0f;
  }
  const bool recover = before.recover && before.guide && !before.guide->empty();
  for (int x0 = 0; x0 < part.width; x0 += kBlock) {
    int clipped_to = part.y - 3 * kMargin;  // the last row in which something may be
    const int width = std::min(kBlock, part.width - x0);
    for (int age = -2 * kMargin; age < part.height; ++age) {
      const int y = part.y + age, row = std::max(age, 0);
      if (load(mosaic, before, part.x + x0 - kMargin, y + kMargin, t->light[y + kMargin]))
        clipped_to = y + kMargin;
      float *r = out.planes[0].row(row) + x0, *g = out.planes[1].row(row) + x0,
            *b = out.planes[2].row(row) + x0;
      HWY_DYNAMIC_DISPATCH(demosaic_row)(*t, y, age, width, r, g, b);
      // Interpolation carries what clipped a few rows on.
      if (recover && age >= 0 && clipped_to >= y - kMargin)
        before.guide->recover(r, g, b, part.x + x0, y, width);
    }
  }
}

Image demosaic(const Mosaic& mosaic, const BeforeDemosaic& wanted) {
  BeforeDemosaic before = wanted;
  const ClipGuide own =
      before.recover && !before.guide ? clip_guide(mosaic, before.gains) : ClipGuide();
  if (before.recover && !before.guide) before.guide = &own;
  constexpr int kRows = 128;
  Image out(mosaic.width, mosaic.height);
  const int pieces = (mosaic.height + kRows - 1) / kRows;
  parallel_ranges(pieces, 1, [&](int first, int last) {
    Image band(mosaic.width, kRows);
    for (int k = first; k < last; ++k) {
      const int top = k * kRows, rows = std::min(kRows, mosaic.height - top);
      demosaic_part(mosaic, before, {0, top, mosaic.width, rows}, band);
      for (int c = 0; c < 3; ++c)
        std::copy_n(band.planes[c].row(0), static_cast<std::size_t>(mosaic.width) * rows,
                    out.planes[c].row(top));
    }
  });
  return out;
}

}  // namespace tsukimi
#endif
