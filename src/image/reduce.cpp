// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/reduce.h"

#include <algorithm>
#include <cmath>

#include "image/lanczos.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "image/reduce.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// Four rows at a time: the sum is written and read again once for all of them.
template <typename Number>
HWY_ATTR inline void sum_of_rows(const Number* const* rows, const float* weights, int count,
                                 int width, float* __restrict out) {
  int t = 0;
  for (; t + 4 <= count; t += 4) {
    const Number* __restrict a = rows[t], * __restrict b = rows[t + 1], * __restrict c = rows[t + 2], * __restrict d = rows[t + 3];
    const float wa = weights[t], wb = weights[t + 1], wc = weights[t + 2], wd = weights[t + 3];
    for (int x = 0; x < width; ++x) {
      const float sum = (wa * static_cast<float>(a[x]) + wb * static_cast<float>(b[x])) +
                        (wc * static_cast<float>(c[x]) + wd * static_cast<float>(d[x]));
      out[x] = t > 0 ? out[x] + sum : sum;
    }
  }
  if (t == 0) std::fill_n(out, width, 0.0f);
  for (; t < count; ++t) {
    const Number* __restrict a = rows[t];
    const float wa = weights[t];
    for (int x = 0; x < width; ++x) out[x] += wa * static_cast<float>(a[x]);
  }
}

void sum_numbers(const std::uint16_t* const* rows, const float* weights, int count, int width,
                 float* out) {
  sum_of_rows(rows, weights, count, width, out);
}
void sum_light(const float* const* rows, const float* weights, int count, int width, float* out) {
  sum_of_rows(rows, weights, count, width, out);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(sum_numbers);
HWY_EXPORT(sum_light);

ReduceAxis::ReduceAxis(int samples, int spacing, int offset, int step)
    : samples_(samples), per_result_(step / spacing) {
  constexpr int kLobes = 3;
  const double reach = kLobes * static_cast<double>(step), centre = 0.5 * step;
  first_ = static_cast<int>(std::ceil((centre - reach - offset - 0.5) / spacing));
  const int taps = static_cast<int>(std::ceil(2 * reach / spacing)) + 1;
  auto weight = [&](int t) {
    return lanczos((spacing * (first_ + t) + offset + 0.5 - centre) / step, kLobes);
  };
  double sum = 0;
  for (int t = 0; t < taps; ++t) sum += weight(t);
  for (int t = 0; t < taps; ++t) weights_.push_back(static_cast<float>(weight(t) / sum));
}

void sum_rows(const std::uint16_t* const* rows, const float* weights, int count, int width,
              float* out) {
  HWY_DYNAMIC_DISPATCH(sum_numbers)(rows, weights, count, width, out);
}
void sum_rows(const float* const* rows, const float* weights, int count, int width, float* out) {
  HWY_DYNAMIC_DISPATCH(sum_light)(rows, weights, count, width, out);
}

// All results have the same weights, so samples that take the same part in them are laid one behind
// the other: a row of results is then a weighted sum of such rows.
void reduce_across(const ReduceAxis& axis, const float* first, int stride, float* out, int results,
                   std::vector<float>& scratch) {
  const int k = axis.per_result(), n = axis.samples(), begin = axis.first(0);
  const int length = results + (axis.taps() + k - 1) / k;
  scratch.resize(static_cast<std::size_t>(length) * k);
  for (int j = 0; j < k; ++j) {
    float* to = scratch.data() + static_cast<std::size_t>(j) * length;
    for (int m = 0; m < length; ++m) {
      const int i = std::clamp(begin + m * k + j, 0, n - 1);
      to[m] = first[static_cast<std::size_t>(i) * stride];
    }
  }
  std::vector<const float*> rows(axis.taps());
  for (int t = 0; t < axis.taps(); ++t)
    rows[t] = scratch.data() + static_cast<std::size_t>(t % k) * length + t / k;
  sum_rows(rows.data(), axis.weights(), axis.taps(), results, out);
}

}  // namespace tsukimi
#endif
