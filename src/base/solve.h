// SPDX-License-Identifier: GPL-3.0-or-later
// A few linear equations, as of a least-squares fit.
#pragma once

#include <array>
#include <cstddef>

namespace tsukimi {

// The first `count` unknowns of a symmetric positive definite system, by Gauss's elimination; the
// others are 0. `hold` (of each diagonal element) is added, so that what nothing is known of stays.
template <std::size_t N>
std::array<double, N> solve(std::array<std::array<double, N>, N> normal,
                            const std::array<double, N>& right, double hold,
                            std::size_t count = N) {
  std::array<double, N> out{};
  for (std::size_t i = 0; i < count; ++i) {
    out[i] = right[i];
    normal[i][i] = (1 + hold) * normal[i][i] + 1e-12;
  }
  for (std::size_t i = 0; i < count; ++i)
    for (std::size_t k = i + 1; k < count; ++k) {
      const double f = normal[k][i] / normal[i][i];
      for (std::size_t j = i; j < count; ++j) normal[k][j] -= f * normal[i][j];
      out[k] -= f * out[i];
    }
  for (std::size_t i = count; i-- > 0;) {
    for (std::size_t j = i + 1; j < count; ++j) out[i] -= normal[i][j] * out[j];
    out[i] /= normal[i][i];
  }
  return out;
}

}  // namespace tsukimi
