// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/wavelet.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/wavelet.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// B3 spline over five rows, or over one row at five distances.
void spline_row(const float* __restrict a, const float* __restrict b, const float* __restrict c,
                const float* __restrict d, const float* __restrict e, int width,
                float* __restrict out) {
  for (int x = 0; x < width; ++x)
    out[x] = 0.0625f * (a[x] + e[x]) + 0.25f * (b[x] + d[x]) + 0.375f * c[x];
}

void square_row(const float* __restrict fine, const float* __restrict coarse, int width,
                float* __restrict square) {
  for (int x = 0; x < width; ++x) {
    const float wave = fine[x] - coarse[x];
    square[x] = wave * wave;
  }
}

void column_row(const float* __restrict a, const float* __restrict b, const float* __restrict c,
                int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] = a[x] + b[x] + c[x];
}

// energy: at x - 1, x and x + 1 the squares summed along the columns of a window.
HWY_ATTR inline float kept_share(const float* energy, float floor) {
  const float e = energy[-1] + energy[0] + energy[1] + 1e-20f;
  const float keep = 1 - floor / e;
  return keep > 0 ? keep : 0.0f;
}

void shrink_row(const float* __restrict fine, const float* __restrict coarse,
                const float* __restrict energy, int width, float floor, const float* base,
                float* out) {
  for (int x = 0; x < width; ++x)
    out[x] = base[x] + kept_share(energy + x, floor) * (fine[x] - coarse[x]);
}

void shrink_shared_row(const float* __restrict fine, const float* __restrict coarse,
                       const float* __restrict energy, int width, float floor,
                       const float* __restrict share, const float* base, float* out) {
  for (int x = 0; x < width; ++x)
    out[x] = base[x] + kept_share(energy + x, floor * share[x]) * (fine[x] - coarse[x]);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(spline_row);
HWY_EXPORT(square_row);
HWY_EXPORT(column_row);
HWY_EXPORT(shrink_row);
HWY_EXPORT(shrink_shared_row);
namespace {

int mirrored(int y, int height) {
  if (y < 0) y = -y;
  if (y >= height) y = 2 * height - 2 - y;
  return std::clamp(y, 0, height - 1);
}

// Share of white noise that each scale holds, in two dimensions.
constexpr double kShare[kMostScales] = {0.8908, 0.2007, 0.0856, 0.0413, 0.0205};

}  // namespace

WaveWindow::WaveWindow(Size size, double sigma)
    : size_(size),
      floor_(static_cast<float>(9 * sigma * sigma)),
      squares_(static_cast<std::size_t>(size.width) * 3),
      energy_(static_cast<std::size_t>(size.width) + 2) {}

void WaveWindow::add(int y, const Row& fine, const Row& smooth, const float* base, float* out,
                     const float* share) {
  const int w = size_.width, above = std::max(0, y - 1), below = std::min(size_.height - 1, y + 1);
  for (int row = std::max(known_ + 1, above); row <= below; ++row) {
    HWY_DYNAMIC_DISPATCH(square_row)(fine(row), smooth(row), w, square(row));
    known_ = row;
  }
  float* energy = energy_.data() + 1;
  HWY_DYNAMIC_DISPATCH(column_row)(square(above), square(y), square(below), w, energy);
  energy[-1] = energy[0];
  energy[w] = energy[w - 1];
  if (share) HWY_DYNAMIC_DISPATCH(shrink_shared_row)
  (fine(y), smooth(y), energy, w, floor_, share, base, out);
  else HWY_DYNAMIC_DISPATCH(shrink_row)(fine(y), smooth(y), energy, w, floor_, base, out);
}

WaveletShrink::WaveletShrink(const Plane& in, double sigma, int scales, int first_row)
    : in_(in), y_(first_row) {
  const auto width = static_cast<std::size_t>(in.width);
  int margin = 1;  // rows that are known beyond the one that comes out: windows are three high
  int reach = 0;   // rows that the next coarser scale looks back and ahead
  for (int k = scales - 1; k >= 0; --k) {
    const int capacity = std::max(margin + 3, 2 * reach + 1);
    scales_.push_back({1 << k, std::max(0, first_row - margin), capacity,
                       Pixels<float>(width * capacity),
                       WaveWindow({in.width, in.height}, sigma * kShare[k])});
    reach = 2 << k;
    margin += reach;
  }
  std::reverse(scales_.begin(), scales_.end());
  line_.resize(width + (std::size_t{4} << scales));
}

float* WaveletShrink::smooth_row(int k, int y) {
  Scale& s = scales_[k];
  return s.smooth.data() + static_cast<std::size_t>(y % s.capacity) * in_.width;
}

const float* WaveletShrink::fine_row(int k, int y) {
  return k == 0 ? in_.row(y) : smooth_row(k - 1, y);
}

void WaveletShrink::smooth_to(int k, int last) {
  Scale& s = scales_[k];
  const int w = in_.width, h = in_.height, pad = 2 * s.step;
  last = std::min(last, h - 1);
  for (; s.next <= last; ++s.next) {
    if (k > 0) smooth_to(k - 1, s.next + pad);
    const float* rows[5];
    for (int i = 0; i < 5; ++i) rows[i] = fine_row(k, mirrored(s.next + (i - 2) * s.step, h));
    float* line = line_.data();
    HWY_DYNAMIC_DISPATCH(spline_row)
    (rows[0], rows[1], rows[2], rows[3], rows[4], w, line + pad);
    for (int i = 1; i <= pad; ++i) {
      line[pad - i] = line[pad + std::min(i, w - 1)];
      line[pad + w - 1 + i] = line[pad + std::max(0, w - 1 - i)];
    }
    HWY_DYNAMIC_DISPATCH(spline_row)
    (line, line + s.step, line + 2 * s.step, line + 3 * s.step, line + 4 * s.step, w,
     smooth_row(k, s.next));
  }
}

void WaveletShrink::next_row(float* out, const float* share) {
  const int last = static_cast<int>(scales_.size()) - 1;
  for (int k = last; k >= 0; --k) smooth_to(k, y_ + 1);
  const float* base = smooth_row(last, y_);
  for (int k = 0; k <= last; ++k) {
    scales_[k].window.add(
        y_, [&](int y) { return fine_row(k, y); }, [&](int y) { return smooth_row(k, y); }, base,
        out, share);
    base = out;
  }
  ++y_;
}

Plane shrink_waves(const Plane& in, double sigma, int scales, const Plane* share) {
  Plane out(in.width, in.height);
  parallel_ranges(in.height, 64, [&](int y0, int y1) {
    WaveletShrink rows(in, sigma, scales, y0);
    for (int y = y0; y < y1; ++y) rows.next_row(out.row(y), share ? share->row(y) : nullptr);
  });
  return out;
}

}  // namespace tsukimi
#endif
