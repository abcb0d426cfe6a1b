// SPDX-License-Identifier: GPL-3.0-or-later
// The value in the middle. Both take a copy to put in order; 0 for nothing.
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

namespace tsukimi {

// One that is there: of an even number of values the upper of the two in the middle.
inline double median_element(std::vector<double> v) {
  if (v.empty()) return 0;
  const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  return *middle;
}

// The standard deviation of a normal distribution round 0, in units of the median magnitude.
constexpr double kSigmaPerMad = 1.4826;

// Of an even number of values the mean of the two in the middle.
inline double median(std::vector<double> v) {
  if (v.empty()) return 0;
  const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  if (v.size() % 2) return *middle;
  return 0.5 * (*middle + *std::max_element(v.begin(), middle));
}

}  // namespace tsukimi
