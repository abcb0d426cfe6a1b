// SPDX-License-Identifier: GPL-3.0-or-later
// Making a picture smaller by whole numbers, as an export would: samples weighted by Lanczos'
// window of three lobes, each where it lies on the sensor (red, green and blue lie apart), so that
// a small copy shows neither more nor less detail than the large picture made small.
#pragma once

#include <functional>
#include <vector>

#include "image/image.h"

namespace tsukimi {

// Weights of samples that lie `spacing` apart, the first at `offset` (in pixels, its left edge),
// for results of `step` pixels each. Samples beyond the ends are those at the ends.
class ReduceAxis {
 public:
  ReduceAxis(int samples, int spacing, int offset, int step);
  int taps() const { return static_cast<int>(weights_.size()); }
  int first(int result) const { return first_ + result * per_result_; }
  const float* weights() const { return weights_.data(); }  // the same for all results; sum 1
  int samples() const { return samples_; }
  int per_result() const { return per_result_; }

 private:
  int samples_, per_result_, first_;
  std::vector<float> weights_;
};

// The weighted sum of rows.
void sum_rows(const std::uint16_t* const* rows, const float* weights, int count, int width,
              float* out);
void sum_rows(const float* const* rows, const float* weights, int count, int width, float* out);

// One row of results across: samples are every `stride`-th value from `first` on. scratch is kept
// between rows.
void reduce_across(const ReduceAxis& axis, const float* first, int stride, float* out, int results,
                   std::vector<float>& scratch);

}  // namespace tsukimi
