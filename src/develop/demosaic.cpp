#include "develop/demosaic.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/demosaic.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_DEMOSAIC_ONCE
#define TSUKIMI_DEMOSAIC_ONCE
namespace tsukimi {
// Tiles that stay in the second-level cache, with the margin that their results depend on.
constexpr int kTileWidth = 240, kTileHeight = 64, kTileMargin = 8;
constexpr int kTileStride = kTileWidth + 2 * kTileMargin, kTileRows = kTileHeight + 2 * kTileMargin;

// Working planes of one tile. "Difference" is red or blue minus green.
struct DemosaicTile {
  float cfa[kTileRows][kTileStride];
  float along_rows[kTileRows][kTileStride], along_columns[kTileRows][kTileStride];
  float balance[kTileRows][kTileStride];  // below 0: rows vary less
  float column_sum[kTileRows][kTileStride];
  float own[kTileRows][kTileStride];    // the difference along the winning direction
  float other[kTileRows][kTileStride];  // at green pixels: blue minus red
  float red_minus[kTileRows][kTileStride], blue_minus[kTileRows][kTileStride];
};
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// chroma: per row parity and x, 1 where the pixel is red or blue, -1 where it is green.
// red_row: per row parity, 1 where the row holds red, -1 where it holds blue.
// h: rows of the tile that are used, with their margins.
void demosaic_tile(DemosaicTile& t, int h, const float (*chroma)[kTileStride],
                   const float* red_row) {
  constexpr int w = kTileStride;
  for (int y = 2; y < h - 2; ++y) {
    const float* __restrict c = t.cfa[y];
    const float* __restrict u1 = t.cfa[y - 1], * __restrict u2 = t.cfa[y - 2], * __restrict d1 = t.cfa[y + 1], * __restrict d2 = t.cfa[y + 2];
    const float* __restrict s = chroma[y & 1];
    float* __restrict rows = t.along_rows[y], * __restrict columns = t.along_columns[y];
    for (int x = 2; x < w - 2; ++x) {
      const float there = 0.5f * (c[x - 1] + c[x + 1]) + 0.25f * (2 * c[x] - c[x - 2] - c[x + 2]);
      rows[x] = s[x] * (c[x] - there);
      const float here = 0.5f * (u1[x] + d1[x]) + 0.25f * (2 * c[x] - u2[x] - d2[x]);
      columns[x] = s[x] * (c[x] - here);
    }
  }
  for (int y = 4; y < h - 4; ++y) {
    const float* __restrict r = t.along_rows[y];
    const float* __restrict v = t.along_columns[y], * __restrict up = t.along_columns[y - 2], * __restrict down = t.along_columns[y + 2];
    float* __restrict out = t.balance[y];
    for (int x = 4; x < w - 4; ++x)
      out[x] = std::fabs(r[x] - r[x + 2]) + std::fabs(r[x] - r[x - 2]) - std::fabs(v[x] - down[x]) -
               std::fabs(v[x] - up[x]);
  }
  for (int y = 6; y < h - 6; ++y) {
    const float* __restrict a = t.balance[y - 2], * __restrict b = t.balance[y - 1], * __restrict c = t.balance[y], * __restrict d = t.balance[y + 1], * __restrict e = t.balance[y + 2];
    float* __restrict out = t.column_sum[y];
    for (int x = 4; x < w - 4; ++x) out[x] = a[x] + b[x] + c[x] + d[x] + e[x];
  }
  for (int y = 6; y < h - 6; ++y) {
    const float* __restrict sum = t.column_sum[y];
    const float* __restrict rows = t.along_rows[y], * __restrict columns = t.along_columns[y];
    float* __restrict vary = t.balance[y], * __restrict own = t.own[y];
    for (int x = 6; x < w - 6; ++x) {
      const float total = sum[x - 2] + sum[x - 1] + sum[x] + sum[x + 1] + sum[x + 2];
      vary[x] = total;
      own[x] = total < 0 ? rows[x] : columns[x];
    }
  }
  for (int y = 7; y < h - 7; ++y) {
    const float* __restrict own = t.own[y];
    const float* __restrict up = t.own[y - 1], * __restrict down = t.own[y + 1];
    const float sign = red_row[y & 1];
    float* __restrict other = t.other[y], * __restrict red = t.red_minus[y], * __restrict blue = t.blue_minus[y];
    for (int x = 7; x < w - 7; ++x) {
      const float in_row = 0.5f * (own[x - 1] + own[x + 1]), in_column = 0.5f * (up[x] + down[x]);
      other[x] = sign * (in_column - in_row);
      red[x] = sign > 0 ? in_row : in_column;
      blue[x] = sign > 0 ? in_column : in_row;
    }
  }
  for (int y = 8; y < h - 8; ++y) {
    const float* __restrict other = t.other[y];
    const float* __restrict up = t.other[y - 1], * __restrict down = t.other[y + 1];
    const float* __restrict vary = t.balance[y], * __restrict own = t.own[y], * __restrict s = chroma[y & 1];
    const float sign = red_row[y & 1];
    float* __restrict red = t.red_minus[y], * __restrict blue = t.blue_minus[y];
    for (int x = 8; x < w - 8; ++x) {
      const float beside = 0.5f * (other[x - 1] + other[x + 1]), above = 0.5f * (up[x] + down[x]);
      const float apart = vary[x] < 0 ? beside : above;  // blue minus red
      const float r = sign > 0 ? own[x] : own[x] - apart;
      const float b = sign > 0 ? own[x] + apart : own[x];
      red[x] = s[x] > 0 ? r : red[x];
      blue[x] = s[x] > 0 ? b : blue[x];
    }
  }
}

void finish_row(const float* __restrict cfa, const float* __restrict own,
                const float* __restrict red, const float* __restrict blue,
                const float* __restrict chroma, int width, float* __restrict r, float* __restrict g,
                float* __restrict b) {
  for (int x = 0; x < width; ++x) {
    const float green = chroma[x] > 0 ? cfa[x] - own[x] : cfa[x];
    r[x] = green + red[x];
    g[x] = green;
    b[x] = green + blue[x];
  }
}

// gain0, gain1: of even and odd x.
void load_row(const float* __restrict in, int width, float gain0, float gain1, float clip,
              float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    const float v = in[x] * ((x & 1) ? gain1 : gain0);
    out[x] = v < clip ? v : clip;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(demosaic_tile);
HWY_EXPORT(finish_row);
HWY_EXPORT(load_row);

namespace {

// Mirrored without repeating the border pixel, so that the Bayer phase holds.
int mirrored(int i, int n) {
  while (i < 0 || i >= n) i = i < 0 ? -i : 2 * n - 2 - i;
  return i;
}

// The tile whose inner part begins at (x0, y0) of the mosaic, even numbers.
void load_tile(DemosaicTile& t, const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa,
               const MosaicColour& colour, int x0, int y0, int height) {
  const int left = x0 - kTileMargin;
  const int a = std::max(0, left), b = std::min(mosaic.width, left + kTileStride);
  for (int y = 0; y < height; ++y) {
    const int at = mirrored(y0 + y - kTileMargin, mosaic.height);
    const float* src = mosaic.row(at);
    float* dst = t.cfa[y];
    const float gain[2] = {colour.gains[cfa[(at & 1) * 2]], colour.gains[cfa[(at & 1) * 2 + 1]]};
    HWY_DYNAMIC_DISPATCH(load_row)
    (src + a, b - a, gain[a & 1], gain[1 - (a & 1)], colour.clip, dst + a - left);
    auto edge = [&](int x) {
      const int from = mirrored(left + x, mosaic.width);
      dst[x] = std::min(src[from] * gain[from & 1], colour.clip);
    };
    for (int x = 0; x < a - left; ++x) edge(x);
    for (int x = b - left; x < kTileStride; ++x) edge(x);
  }
}

}  // namespace

void demosaic_part(const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa,
                   const MosaicColour& colour, MosaicPart part, Image& out) {
  float chroma[2][kTileStride], red_row[2];
  for (int p = 0; p < 2; ++p) {  // margins are even: the phase of tile and mosaic are one
    red_row[p] = cfa[p * 2] == 0 || cfa[p * 2 + 1] == 0 ? 1.0f : -1.0f;
    for (int x = 0; x < kTileStride; ++x) chroma[p][x] = cfa[p * 2 + (x & 1)] == 1 ? -1.0f : 1.0f;
  }
  auto t = std::make_unique_for_overwrite<DemosaicTile>();
  for (int y0 = 0; y0 < part.height; y0 += kTileHeight)
    for (int x0 = 0; x0 < part.width; x0 += kTileWidth) {
      const int rows = std::min(kTileHeight, part.height - y0);
      load_tile(*t, mosaic, cfa, colour, part.x + x0, part.y + y0, rows + 2 * kTileMargin);
      HWY_DYNAMIC_DISPATCH(demosaic_tile)(*t, rows + 2 * kTileMargin, chroma, red_row);
      for (int y = 0; y < rows; ++y) {
        const int row = y + kTileMargin;
        HWY_DYNAMIC_DISPATCH(finish_row)
        (t->cfa[row] + kTileMargin, t->own[row] + kTileMargin, t->red_minus[row] + kTileMargin,
         t->blue_minus[row] + kTileMargin, chroma[row & 1] + kTileMargin,
         std::min(kTileWidth, part.width - x0), out.planes[0].row(y0 + y) + x0,
         out.planes[1].row(y0 + y) + x0, out.planes[2].row(y0 + y) + x0);
      }
    }
}

Image demosaic(const Plane& mosaic, const std::array<std::uint8_t, 4>& cfa,
               const MosaicColour& colour) {
  Image out(mosaic.width, mosaic.height);
  const int pieces = (mosaic.height + kTileHeight - 1) / kTileHeight;
  parallel_ranges(pieces, 1, [&](int first, int last) {
    Image band(mosaic.width, kTileHeight);
    for (int k = first; k < last; ++k) {
      const int top = k * kTileHeight, rows = std::min(kTileHeight, mosaic.height - top);
      demosaic_part(mosaic, cfa, colour, {0, top, mosaic.width, rows}, band);
      for (int c = 0; c < 3; ++c)
        std::copy_n(band.planes[c].row(0), static_cast<std::size_t>(mosaic.width) * rows,
                    out.planes[c].row(top));
    }
  });
  return out;
}

}  // namespace tsukimi
#endif
