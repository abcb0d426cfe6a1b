#include "develop/noise.h"

#include <algorithm>
#include <cmath>

#include "image/fast_math.h"
#include "image/parallel.h"

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

// B3 spline over five rows, or over one row at distances of `step` (padded by two steps).
void spline_rows(const float* __restrict a, const float* __restrict b, const float* __restrict c,
                 const float* __restrict d, const float* __restrict e, int width,
                 float* __restrict out) {
  for (int x = 0; x < width; ++x)
    out[x] = 0.0625f * (a[x] + e[x]) + 0.25f * (b[x] + d[x]) + 0.375f * c[x];
}

void square_row(const float* __restrict fine, const float* __restrict coarse, int width,
                float* __restrict wave, float* __restrict energy) {
  for (int x = 0; x < width; ++x) {
    const float w = fine[x] - coarse[x];
    wave[x] = w;
    energy[x] = w * w;
  }
}

void add_row(const float* __restrict in, int width, float* __restrict sum) {
  for (int x = 0; x < width; ++x) sum[x] += in[x];
}

// energy: sums over a window of `count` values, three columns wide already summed along y.
void shrink_row(const float* __restrict wave, const float* __restrict energy, int width,
                float floor, float* __restrict sum) {
  for (int x = 0; x < width; ++x) {
    const float e = energy[x - 1] + energy[x] + energy[x + 1] + 1e-20f;
    float keep = 1 - floor / e;
    keep = keep > 0 ? keep : 0.0f;
    sum[x] += keep * wave[x];
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
namespace {

// Electrons of a full pixel at ISO 100 and noise of reading in electrons: a usual sensor.
constexpr double kFull = 50000, kRead = 3;

}  // namespace

HWY_EXPORT(even_row);
HWY_EXPORT(back_row);
HWY_EXPORT(spline_rows);
HWY_EXPORT(square_row);
HWY_EXPORT(add_row);
HWY_EXPORT(shrink_row);

namespace {

Plane smooth(const Plane& in, int step) {
  const int w = in.width, h = in.height, pad = 2 * step;
  Plane out(w, h);
  parallel_ranges(h, 24, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(w) + 2 * pad);
    for (int y = y0; y < y1; ++y) {
      const float* rows[5];
      for (int k = 0; k < 5; ++k) {
        int at = y + (k - 2) * step;
        if (at < 0) at = -at;
        if (at >= h) at = 2 * h - 2 - at;
        rows[k] = in.row(std::clamp(at, 0, h - 1));
      }
      HWY_DYNAMIC_DISPATCH(spline_rows)
      (rows[0], rows[1], rows[2], rows[3], rows[4], w, line.data() + pad);
      for (int i = 1; i <= pad; ++i) {
        line[pad - i] = line[pad + std::min(i, w - 1)];
        line[pad + w - 1 + i] = line[pad + std::max(0, w - 1 - i)];
      }
      const float* c = line.data();
      HWY_DYNAMIC_DISPATCH(spline_rows)
      (c, c + step, c + 2 * step, c + 3 * step, c + 4 * step, w, out.row(y));
    }
  });
  return out;
}

// fine and coarse: the picture at one scale and at the next. Adds what stays of their difference to
// `sum`.
void shrink_scale(const Plane& fine, const Plane& coarse, double sigma, Plane& sum) {
  const int w = fine.width, h = fine.height;
  const auto floor = static_cast<float>(9 * sigma * sigma);  // of the nine values of a window
  parallel_ranges(h, 24, [&](int y0, int y1) {
    // Waves and their squares of three rows, going down.
    std::vector<float> waves(static_cast<std::size_t>(w) * 3),
        squares(static_cast<std::size_t>(w) * 3), energy(static_cast<std::size_t>(w) + 2);
    auto slot = [](int y) { return static_cast<std::size_t>((y + 3) % 3); };
    auto load = [&](int y) {
      const int at = std::clamp(y, 0, h - 1);
      HWY_DYNAMIC_DISPATCH(square_row)
      (fine.row(at), coarse.row(at), w, waves.data() + slot(y) * w, squares.data() + slot(y) * w);
    };
    load(y0 - 1);
    load(y0);
    for (int y = y0; y < y1; ++y) {
      load(y + 1);
      std::copy(squares.begin(), squares.begin() + w, energy.begin() + 1);
      HWY_DYNAMIC_DISPATCH(add_row)(squares.data() + w, w, energy.data() + 1);
      HWY_DYNAMIC_DISPATCH(add_row)
      (squares.data() + 2 * static_cast<std::size_t>(w), w, energy.data() + 1);
      energy[0] = energy[1];
      energy[w + 1] = energy[w];
      HWY_DYNAMIC_DISPATCH(shrink_row)
      (waves.data() + slot(y) * w, energy.data() + 1, w, floor, sum.row(y));
    }
  });
}

// sigma: of the plane's noise at its own pixels, uncorrelated.
void denoise(Plane& plane, double sigma, int scales) {
  // Share of white noise that each scale of the transform holds, in two dimensions.
  constexpr double kShare[] = {0.8908, 0.2007, 0.0856, 0.0413, 0.0205};
  Plane sum(plane.width, plane.height), fine = std::move(plane);
  std::fill(sum.data.begin(), sum.data.end(), 0.0f);
  for (int k = 0; k < scales; ++k) {
    Plane coarse = smooth(fine, 1 << k);
    shrink_scale(fine, coarse, sigma * kShare[k], sum);
    fine = std::move(coarse);
  }
  parallel_rows(sum.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(add_row)(fine.row(y), sum.width, sum.row(y));
  });
  plane = std::move(sum);
}

}  // namespace

void reduce_noise(Image& image, double brightness, double colour, const NoiseModel& m) {
  if ((brightness <= 0 && colour <= 0) || image.width < 16 || image.height < 16) return;
  // Noise of light v (1 = clipping, times gain): variance slope * v + read^2; its square root has
  // a sigma of sqrt(slope) / 2 at all brightnesses.
  const double well = kFull * 100 / std::max(m.iso, 25.0);
  const double slope = m.gain / well, read = kRead / well * m.gain;
  const auto foot = static_cast<float>(read * read / slope + 0.25 * slope);
  // Interpolating the mosaic spreads noise over neighbours, reducing the picture averages it away.
  const double sigma = 0.5 * std::sqrt(slope) / std::max(m.reduction, 0.5);
  const int scales =
      std::clamp(5 - static_cast<int>(std::lround(std::log2(std::max(m.reduction, 1.0)))), 2, 5);
  auto rows = [&](auto&& fn) {
    parallel_rows(image.height, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        fn(image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y));
    });
  };
  rows([&](float* r, float* g, float* b) {
    HWY_DYNAMIC_DISPATCH(even_row)(r, g, b, image.width, foot);
  });
  // 50 is the expected noise; the square of the shrinking rule makes 1.7 sigma a usual choice.
  if (brightness > 0)
    denoise(image.planes[0], 1.7 * sigma * brightness / 50 * 0.8, std::min(scales, 4));
  if (colour > 0)
    for (int c : {1, 2}) denoise(image.planes[c], 1.7 * sigma * colour / 50 * 1.6, scales);
  rows([&](float* r, float* g, float* b) {
    HWY_DYNAMIC_DISPATCH(back_row)(r, g, b, image.width, foot);
  });
}

}  // namespace tsukimi
#endif
