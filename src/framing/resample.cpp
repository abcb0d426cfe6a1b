// Cutting and resampling in one pass: columns first, eight output rows at a time, kept side by side
// so that the pass along the rows works on eight values at once.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "framing/geometry.h"
#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "framing/resample.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_RESAMPLE_ONCE
#define TSUKIMI_RESAMPLE_ONCE
namespace tsukimi {
constexpr int kLanes = 8;
}
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// out: weighted sum of `taps` rows.
void sum_rows(const float* const* rows, const float* weights, int taps, int width,
              float* __restrict out) {
  {
    const float w = weights[0];
    const float* __restrict src = rows[0];
    for (int x = 0; x < width; ++x) out[x] = w * src[x];
  }
  int t = 1;
  for (; t + 1 < taps; t += 2) {
    const float w = weights[t], v = weights[t + 1];
    const float* __restrict a = rows[t], * __restrict b = rows[t + 1];
    for (int x = 0; x < width; ++x) out[x] = out[x] + w * a[x] + v * b[x];
  }
  for (; t < taps; ++t) {
    const float w = weights[t];
    const float* __restrict src = rows[t];
    for (int x = 0; x < width; ++x) out[x] += w * src[x];
  }
}

// lines: kLanes rows, one behind the other, to values side by side.
void interleave(const float* __restrict lines, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x)
    for (int k = 0; k < kLanes; ++k)
      out[x * kLanes + k] = lines[static_cast<std::size_t>(k) * width + x];
}

// first: where each output value's taps begin; in is padded so that none lies outside.
void sum_across(const float* __restrict in, const int* __restrict first,
                const float* __restrict weights, int taps, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    const float* __restrict src = in + static_cast<std::size_t>(first[x]) * kLanes;
    const float* __restrict w = weights + static_cast<std::size_t>(x) * taps;
    float sum[kLanes] = {};
    for (int t = 0; t < taps; ++t)
      for (int k = 0; k < kLanes; ++k) sum[k] += w[t] * src[t * kLanes + k];
    for (int k = 0; k < kLanes; ++k) out[static_cast<std::size_t>(x) * kLanes + k] = sum[k];
  }
}

void separate(const float* __restrict in, int lane, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] = in[static_cast<std::size_t>(x) * kLanes + lane];
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(sum_rows);
HWY_EXPORT(interleave);
HWY_EXPORT(sum_across);
HWY_EXPORT(separate);

namespace {

// For each output sample: first input sample and weights (sum 1).
struct Kernel {
  int taps = 0;
  std::vector<int> first;
  std::vector<float> weights;
};

double lanczos3(double x) {
  x = std::fabs(x);
  if (x >= 3) return 0;
  if (x < 1e-8) return 1;
  const double p = std::numbers::pi * x;
  return 3 * std::sin(p) * std::sin(p / 3) / (p * p);
}

Kernel make_kernel(double start, double length, int output) {
  const double scale = length / output;  // input samples per output sample
  const double widen = std::max(scale, 1.0);
  Kernel k;
  k.taps = static_cast<int>(std::ceil(6 * widen)) + 1;
  k.first.resize(output);
  k.weights.resize(static_cast<std::size_t>(output) * k.taps);
  for (int i = 0; i < output; ++i) {
    const double centre = start + (i + 0.5) * scale - 0.5;
    const int first = static_cast<int>(std::floor(centre - 3 * widen)) + 1;
    k.first[i] = first;
    double sum = 0;
    for (int t = 0; t < k.taps; ++t) sum += lanczos3((first + t - centre) / widen);
    for (int t = 0; t < k.taps; ++t)
      k.weights[static_cast<std::size_t>(i) * k.taps + t] =
          static_cast<float>(lanczos3((first + t - centre) / widen) / sum);
  }
  return k;
}

}  // namespace

Image resample(const Image& image, Rect part, Size size) {
  if (part == Rect{} && size == image.size()) return image;
  const Kernel kx = make_kernel(part.x * image.width, part.w * image.width, size.width);
  const Kernel ky = make_kernel(part.y * image.height, part.h * image.height, size.height);
  // Only the columns that are needed, padded by repeating the edge.
  const int left = kx.first.front(), right = kx.first.back() + kx.taps, span = right - left;
  std::vector<int> first(kx.first);
  for (int& f : first) f -= left;
  const int a = std::clamp(left, 0, image.width - 1), b = std::clamp(right, a + 1, image.width);
  Image out(size.width, size.height);
  const int blocks = (size.height + kLanes - 1) / kLanes;
  parallel_ranges(blocks, 1, [&](int block0, int block1) {
    std::vector<float> lines(static_cast<std::size_t>(span) * kLanes), side(lines.size()),
        across(static_cast<std::size_t>(size.width) * kLanes);
    std::vector<const float*> rows(ky.taps);
    for (int block = block0; block < block1; ++block)
      for (int c = 0; c < 3; ++c) {
        const int y0 = block * kLanes, count = std::min(kLanes, size.height - y0);
        for (int k = 0; k < count; ++k) {
          for (int t = 0; t < ky.taps; ++t)
            rows[t] =
                image.planes[c].row(std::clamp(ky.first[y0 + k] + t, 0, image.height - 1)) + a;
          float* line = lines.data() + static_cast<std::size_t>(k) * span;
          HWY_DYNAMIC_DISPATCH(sum_rows)
          (rows.data(), ky.weights.data() + static_cast<std::size_t>(y0 + k) * ky.taps, ky.taps,
           b - a, line + (a - left));
          std::fill(line, line + (a - left), line[a - left]);
          std::fill(line + (b - left), line + span, line[b - left - 1]);
        }
        HWY_DYNAMIC_DISPATCH(interleave)(lines.data(), span, side.data());
        HWY_DYNAMIC_DISPATCH(sum_across)
        (side.data(), first.data(), kx.weights.data(), kx.taps, size.width, across.data());
        for (int k = 0; k < count; ++k)
          HWY_DYNAMIC_DISPATCH(separate)(across.data(), k, size.width, out.planes[c].row(y0 + k));
      }
  });
  return out;
}

}  // namespace tsukimi
#endif
