// SPDX-License-Identifier: GPL-3.0-or-later
// Cutting and resampling in one pass: columns first, eight output rows at a time, kept side by side
// so that the pass along the rows works on eight values at once.
#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "framing/geometry.h"
#include "image/lanczos.h"

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

// Beside a glint the sum falls below all that it was made of; light does not fall below black,
// where none of it did. scratch: as wide as the rows.
void limit_rows(const float* const* rows, int taps, int width, float* __restrict scratch,
                float* __restrict out) {
  float lowest = 0;
  for (int x = 0; x < width; ++x) lowest = lowest < out[x] ? lowest : out[x];
  if (lowest >= 0) return;
  for (int x = 0; x < width; ++x) scratch[x] = 0;
  for (int t = 0; t < taps; ++t) {
    const float* __restrict src = rows[t];
    for (int x = 0; x < width; ++x) scratch[x] = scratch[x] < src[x] ? scratch[x] : src[x];
  }
  for (int x = 0; x < width; ++x) out[x] = out[x] > scratch[x] ? out[x] : scratch[x];
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
    float sum[kLanes] = {}, least[kLanes] = {};
    for (int t = 0; t < taps; ++t)
      for (int k = 0; k < kLanes; ++k) {
        const float v = src[t * kLanes + k];
        sum[k] += w[t] * v;
        least[k] = least[k] < v ? least[k] : v;
      }
    for (int k = 0; k < kLanes; ++k)
      out[static_cast<std::size_t>(x) * kLanes + k] = sum[k] > least[k] ? sum[k] : least[k];
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
HWY_EXPORT(limit_rows);
HWY_EXPORT(interleave);
HWY_EXPORT(sum_across);
HWY_EXPORT(separate);

Resampler::Kernel::Kernel(double start, double length, int output) {
  const double scale = length / output;  // input samples per output sample
  const double widen = std::max(scale, 1.0);
  taps = static_cast<int>(std::ceil(6 * widen)) + 1;
  first.resize(output);
  weights.resize(static_cast<std::size_t>(output) * taps);
  for (int i = 0; i < output; ++i) {
    const double centre = start + (i + 0.5) * scale - 0.5;
    const int begin = static_cast<int>(std::floor(centre - 3 * widen)) + 1;
    first[i] = begin;
    double sum = 0;
    for (int t = 0; t < taps; ++t) sum += lanczos((begin + t - centre) / widen, 3);
    for (int t = 0; t < taps; ++t)
      weights[static_cast<std::size_t>(i) * taps + t] =
          static_cast<float>(lanczos((begin + t - centre) / widen, 3) / sum);
  }
}

Resampler::Resampler(Size source, Rect part, Size result)
    : source_(source),
      x_(part.x * source.width, part.w * source.width, result.width),
      y_(part.y * source.height, part.h * source.height, result.height) {}

Span Resampler::rows(const Tile& tile) const {
  const int a = std::clamp(y_.first[tile.y0], 0, source_.height - 1);
  return {a, std::clamp(y_.first[tile.y1 - 1] + y_.taps, a + 1, source_.height)};
}

Span Resampler::columns() const {
  const int a = std::clamp(x_.first.front(), 0, source_.width - 1);
  return {a, std::clamp(x_.first.back() + x_.taps, a + 1, source_.width)};
}

void Resampler::run(const Band& source, const Tile& tile, Image& out) const {
  // Only the columns that are needed, padded by repeating the edge.
  const int left = x_.first.front(), span = x_.first.back() + x_.taps - left;
  const auto [a, b] = columns();
  const int width = out.width;
  std::vector<int> first(x_.first);
  for (int& f : first) f -= left;
  std::vector<float> lines(static_cast<std::size_t>(span) * kLanes), side(lines.size()),
      across(static_cast<std::size_t>(width) * kLanes), scratch(span);
  std::vector<const float*> rows(y_.taps);
  for (int top = tile.y0; top < tile.y1; top += kLanes)
    for (int c = 0; c < 3; ++c) {
      const int count = std::min(kLanes, tile.y1 - top);
      for (int k = 0; k < count; ++k) {
        for (int t = 0; t < y_.taps; ++t) {
          const int row = std::clamp(y_.first[top + k] + t, 0, source_.height - 1);
          rows[t] = source.image.planes[c].row(row - source.top) + (a - source.left);
        }
        float* line = lines.data() + static_cast<std::size_t>(k) * span;
        HWY_DYNAMIC_DISPATCH(sum_rows)
        (rows.data(), y_.weights.data() + static_cast<std::size_t>(top + k) * y_.taps, y_.taps,
         b - a, line + (a - left));
        HWY_DYNAMIC_DISPATCH(limit_rows)
        (rows.data(), y_.taps, b - a, scratch.data(), line + (a - left));
        std::fill(line, line + (a - left), line[a - left]);
        std::fill(line + (b - left), line + span, line[b - left - 1]);
      }
      HWY_DYNAMIC_DISPATCH(interleave)(lines.data(), span, side.data());
      HWY_DYNAMIC_DISPATCH(sum_across)
      (side.data(), first.data(), x_.weights.data(), x_.taps, width, across.data());
      for (int k = 0; k < count; ++k)
        HWY_DYNAMIC_DISPATCH(separate)(across.data(), k, width, out.planes[c].row(top + k));
    }
}

Image resample(const Image& image, Rect part, Size size) {
  if (part == Rect{} && size == image.size()) return image;
  const Resampler how(image.size(), part, size);
  Image out(size.width, size.height);
  parallel_rows(size.height, [&](int y0, int y1) {
    how.run({image}, {0, y0, size.width, y1}, out);
  });
  return out;
}

}  // namespace tsukimi
#endif
