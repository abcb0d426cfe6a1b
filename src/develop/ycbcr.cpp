// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/ycbcr.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "develop/display.h"

namespace tsukimi {
namespace {

// Shares of red and blue in luma, of the standards.
struct Shares {
  float red, blue;
};
Shares shares_of(ColourSpace space) {
  return space == ColourSpace::rec2020 ? Shares{0.2627f, 0.0593f} : Shares{0.2126f, 0.0722f};
}

// One plane of differences to its samples: [1 2 1] / 4 across on every second pixel, the mean of
// two rows. The edge repeats.
std::vector<float> reduced(const Plane& in, Sampling sampling) {
  const int w = (in.width + 1) / 2;
  const int h = sampling == Sampling::half_both ? (in.height + 1) / 2 : in.height;
  std::vector<float> out(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const int first = sampling == Sampling::half_both ? 2 * y : y,
                second = sampling == Sampling::half_both ? std::min(first + 1, in.height - 1) : y;
      const float *a = in.row(first), *b = in.row(second);
      float* to = out.data() + static_cast<std::ptrdiff_t>(y) * w;
      for (int x = 0; x < w; ++x) {
        const int here = 2 * x, left = std::max(here - 1, 0),
                  right = std::min(here + 1, in.width - 1);
        to[x] = 0.125f * (a[left] + b[left] + 2 * (a[here] + b[here]) + a[right] + b[right]);
      }
    }
  });
  return out;
}

// v is 0..1 (luma) or -0.5..0.5 (differences).
std::vector<std::uint16_t> rounded(const float* v, int width, int height, int bits, bool luma) {
  std::vector<std::uint16_t> out(static_cast<std::size_t>(width) *
                                 static_cast<std::size_t>(height));
  const auto unit = static_cast<float>(1 << (bits - 8));
  const float range = (luma ? 219 : 224) * unit, zero = (luma ? 16 : 128) * unit, least = 16 * unit,
              most = (luma ? 235 : 240) * unit;
  parallel_rows(height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float* in = v + static_cast<std::ptrdiff_t>(y) * width;
      const float* dither = dither_row(y);
      std::uint16_t* to = out.data() + static_cast<std::ptrdiff_t>(y) * width;
      for (int x = 0; x < width; ++x) {
        // What is exactly black, white or grey stays so.
        const bool exact = luma ? in[x] <= 0 || in[x] >= 1 : std::fabs(in[x]) < 1e-6f;
        const float noise = exact ? 0 : 0.5f * dither[x & 63];
        const float value = std::clamp(zero + range * in[x] + noise, least, most);
        to[x] = static_cast<std::uint16_t>(value + 0.5f);
      }
    }
  });
  return out;
}

// encode(row): hands its rows of R'G'B' to `row`.
template <typename Encode>
YCbCr planes_of(const Image& image, ColourSpace space, int bits, Sampling sampling,
                const Encode& encode) {
  const Shares of = shares_of(space);
  const float kr = of.red, kb = of.blue;
  const float kg = 1 - kr - kb, to_cb = 0.5f / (1 - kb), to_cr = 0.5f / (1 - kr);
  const int w = image.width, h = image.height;
  Plane luma(w, h), cb(w, h), cr(w, h);
  encode([&](int y, const float* r, const float* g, const float* b) {
    float *yo = luma.row(y), *bo = cb.row(y), *ro = cr.row(y);
    for (int x = 0; x < w; ++x) {
      const float v = kr * r[x] + kg * g[x] + kb * b[x];
      yo[x] = v;
      bo[x] = (b[x] - v) * to_cb;
      ro[x] = (r[x] - v) * to_cr;
    }
  });
  YCbCr out{w, h, bits, sampling, {}};
  out.planes[0] = rounded(luma.data.data(), w, h, bits, true);
  const Plane* differences[] = {&cb, &cr};
  for (int p = 1; p <= 2; ++p) {
    const Plane& full = *differences[p - 1];
    const std::vector<float> fewer =
        sampling == Sampling::full ? std::vector<float>() : reduced(full, sampling);
    out.planes[static_cast<std::size_t>(p)] =
        rounded(sampling == Sampling::full ? full.data.data() : fewer.data(), out.width_of(p),
                out.height_of(p), bits, false);
  }
  return out;
}

}  // namespace

YCbCr to_ycbcr(const Image& image, ColourSpace space, int bits, Sampling sampling) {
  return planes_of(image, space, bits, sampling,
                   [&](const EncodedRow& row) { encode_rows(image, space, row); });
}

YCbCr to_wide_ycbcr(const Image& image, FilmLight light, int bits, Sampling sampling) {
  LightLevels levels;
  YCbCr out = planes_of(image, ColourSpace::rec2020, bits, sampling, [&](const EncodedRow& row) {
    levels = encode_wide_rows(image, light, row);
  });
  out.levels = levels;
  return out;
}

}  // namespace tsukimi
