// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/noise.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/parallel.h"
#include "develop/wavelet.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/noise.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// To even noise and opponents: (r + 2 g + b) / 4, r - g, b - g of sqrt(light + read noise).
void even_row(float* __restrict r, float* __restrict g, float* __restrict b, int width,
              float foot) {
  for (int x = 0; x < width; ++x) {
    auto even = [foot](float v) {
      const float s = v + foot, size = std::sqrt(std::fabs(s));
      return s < 0 ? -size : size;
    };
    const float er = even(r[x]), eg = even(g[x]), eb = even(b[x]);
    r[x] = 0.25f * (er + eb) + 0.5f * eg;
    g[x] = er - eg;
    b[x] = eb - eg;
  }
}

void back_row(float* __restrict r, float* __restrict g, float* __restrict b, int width,
              float foot) {
  for (int x = 0; x < width; ++x) {
    const float eg = r[x] - 0.25f * (g[x] + b[x]), er = g[x] + eg, eb = b[x] + eg;
    r[x] = er * std::fabs(er) - foot;
    g[x] = eg * std::fabs(eg) - foot;
    b[x] = eb * std::fabs(eb) - foot;
  }
}

// Means of 2x2 pixels.
void halve_row(const float* __restrict a, const float* __restrict b, int width,
               float* __restrict out) {
  for (int x = 0; x < width; ++x)
    out[x] = 0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
}

// A row between two rows of the half-sized plane (near, padded by one, three quarters), doubled.
void double_row(const float* __restrict near, const float* __restrict far, int width,
                float* __restrict mixed, float* __restrict out) {
  for (int x = -1; x < width + 1; ++x) mixed[x] = 0.75f * near[x] + 0.25f * far[x];
  for (int x = 0; x < width; ++x) {
    out[2 * x] = 0.75f * mixed[x] + 0.25f * mixed[x - 1];
    out[2 * x + 1] = 0.75f * mixed[x] + 0.25f * mixed[x + 1];
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(even_row);
HWY_EXPORT(back_row);
HWY_EXPORT(halve_row);
HWY_EXPORT(double_row);
namespace {

// Electrons of a full pixel at ISO 100 and noise of reading in electrons: a usual sensor.
constexpr double kFull = 50000, kRead = 3;

Plane halved(const Plane& in) {
  Plane out(in.width / 2, in.height / 2);
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(halve_row)
    (in.row(2 * y), in.row(2 * y + 1), out.width, out.row(y));
  });
  return out;
}

// A half-sized plane doubled, row by row; the latest three rows are kept.
class Doubled {
 public:
  Doubled(const Plane& half, int width) : half_(half), width_(width) {
    for (auto* row : {&near_, &far_, &mixed_}) row->resize(half.width + 2);
    for (auto& row : rows_) row.resize(std::max(2 * half.width, width));
  }
  const float* row(int y) {
    auto& out = rows_[y % 3];
    if (at_[y % 3] == y) return out.data();
    at_[y % 3] = y;
    const int last = half_.height - 1;
    pad(half_.row(std::min(y / 2, last)), near_);
    pad(half_.row(std::clamp(y / 2 + (y & 1 ? 1 : -1), 0, last)), far_);
    HWY_DYNAMIC_DISPATCH(double_row)
    (near_.data() + 1, far_.data() + 1, half_.width, mixed_.data() + 1, out.data());
    for (int x = 2 * half_.width; x < width_; ++x) out[x] = out[x - 1];  // an odd width
    return out.data();
  }

 private:
  void pad(const float* row, std::vector<float>& out) const {
    std::copy_n(row, half_.width, out.begin() + 1);
    out.front() = row[0];
    out.back() = row[half_.width - 1];
  }

  const Plane& half_;
  int width_;
  std::vector<float> near_, far_, mixed_, rows_[3];
  int at_[3] = {-1, -1, -1};
};

// A colour difference: its finest waves at full size, the rest, where the eye sees less, at half.
struct ColourDifference {
  ColourDifference(const Plane& plane, double sigma, int scales, const Plane* share)
      : full(plane), half(halved(plane)), clean(shrink_waves(half, sigma / 2, scales, share)) {}
  const Plane& full;
  Plane half, clean;
};

// Share of white noise that is left of a plane when its halved and doubled copy is taken away.
constexpr double kFinest = 0.9036;

class ColourRows {
 public:
  ColourRows(const ColourDifference& in, double sigma)
      : in_(in),
        half_(in.half, in.full.width),
        clean_(in.clean, in.full.width),
        window_({in.full.width, in.full.height}, sigma * kFinest) {}
  void row(int y, float* out, const float* share) {
    window_.add(
        y, [&](int at) { return in_.full.row(at); }, [&](int at) { return half_.row(at); },
        clean_.row(y), out, share);
  }

 private:
  const ColourDifference& in_;
  Doubled half_, clean_;
  WaveWindow window_;
};

// How much more energy counts as noise at each pixel than where the amount is kUnit.
class Shares {
 public:
  static constexpr double kUnit = 50;
  Shares(double all, const LocalAmounts& places) : all_(static_cast<float>(all)), places_(places) {}
  void row(int y, int width, float* out) const {
    places_.sum(Param::place_noise, y, out);
    for (int x = 0; x < width; ++x) {
      const float share = (all_ + out[x]) * static_cast<float>(1 / kUnit);
      out[x] = share * share;
    }
  }
  Plane halved(Size size) const {
    Plane out(size.width / 2, size.height / 2);
    parallel_rows(out.height, [&](int y0, int y1) {
      std::vector<float> line(static_cast<std::size_t>(size.width));
      for (int y = y0; y < y1; ++y) {
        row(2 * y, size.width, line.data());
        for (int x = 0; x < out.width; ++x) out.at(x, y) = line[static_cast<std::size_t>(2 * x)];
      }
    });
    return out;
  }

 private:
  float all_;
  const LocalAmounts& places_;
};

}  // namespace

void reduce_noise(Image& image, double brightness, double colour, const NoiseModel& m,
                  const LocalAmounts& places) {
  const int w = image.width, h = image.height;
  const bool placed = places.uses(Param::place_noise);
  if ((brightness <= 0 && colour <= 0 && !placed) || w < 16 || h < 16) return;
  // Noise of light v (1 = clipping, times gain): variance slope * v + read^2; its square root has
  // a sigma of sqrt(slope) / 2 at all brightnesses.
  const double well = kFull * 100 / std::max(m.iso, 25.0);
  const double slope = m.gain / well, read = kRead / well * m.gain;
  const auto foot = static_cast<float>(read * read / slope + 0.25 * slope);
  // Interpolating the mosaic spreads noise over neighbours, reducing the picture averages it away.
  const double sigma = 0.5 * std::sqrt(slope) / std::max(m.reduction, 0.5);
  const int scales = std::clamp(
      5 - static_cast<int>(std::lround(std::log2(std::max(m.reduction, 1.0)))), 2, kMostScales);
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(even_row)
    (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), w, foot);
  });
  // 50 is the expected noise; the square of the shrinking rule makes 1.7 sigma a usual choice.
  auto part = [&](double amount) { return 1.7 * sigma * (placed ? Shares::kUnit : amount) / 50; };
  const double light_sigma = part(brightness) * 0.8, colour_sigma = part(colour) * 1.6;
  const Shares light_shares(brightness, places), colour_shares(colour, places);
  std::optional<ColourDifference> red, blue;
  if (colour > 0 || placed) {
    std::optional<Plane> shares;
    if (placed) shares = colour_shares.halved(image.size());
    const Plane* share = shares ? &*shares : nullptr;
    red.emplace(image.planes[1], colour_sigma, scales - 1, share);
    blue.emplace(image.planes[2], colour_sigma, scales - 1, share);
  }
  Image out(w, h);
  parallel_ranges(h, 64, [&](int y0, int y1) {
    std::optional<WaveletShrink> light;
    std::optional<ColourRows> red_rows, blue_rows;
    std::vector<float> scratch(placed ? 2 * static_cast<std::size_t>(w) : 0);
    float *light_share = placed ? scratch.data() : nullptr,
          *colour_share = placed ? scratch.data() + w : nullptr;
    if (brightness > 0 || placed)
      light.emplace(image.planes[0], light_sigma, std::min(scales, 4), y0);
    if (red) red_rows.emplace(*red, colour_sigma), blue_rows.emplace(*blue, colour_sigma);
    for (int y = y0; y < y1; ++y) {
      if (placed) light_shares.row(y, w, light_share), colour_shares.row(y, w, colour_share);
      float* row[3];
      for (int c = 0; c < 3; ++c) row[c] = out.planes[c].row(y);
      auto same = [&](int c) { std::copy_n(image.planes[c].row(y), w, row[c]); };
      light ? light->next_row(row[0], light_share) : same(0);
      red_rows ? red_rows->row(y, row[1], colour_share) : same(1);
      blue_rows ? blue_rows->row(y, row[2], colour_share) : same(2);
      HWY_DYNAMIC_DISPATCH(back_row)(row[0], row[1], row[2], w, foot);
    }
  });
  image = std::move(out);
}

}  // namespace tsukimi
#endif
