// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/series_fit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {

double product(const Series& a, const Series& b) {
  double out = 0;
  for (int c = 0; c < kCoefficients; ++c) out += a[c] * b[c];
  return out;
}

double norm_of(int coefficient) {
  return (coefficient % kPartAcross ? 0.5 : 1) * (coefficient / kPartAcross ? 0.5 : 1);
}

SeriesFit::SeriesFit(const std::vector<int>& cells, const std::vector<double>& weights, double size)
    : normal_(kCoefficients, kCoefficients - 1), rows_(cells.size()) {
  const int n = static_cast<int>(cells.size());
  std::vector<Series> basis(n);
  for (int k = 0; k < n; ++k) {
    const double x = std::numbers::pi * CellLight::x_of(cells[k]),
                 y = std::numbers::pi * CellLight::y_of(cells[k]);
    for (int c = 0; c < kCoefficients; ++c)
      basis[k][c] = std::cos(c % kPartAcross * x) * std::cos(c / kPartAcross * y);
    for (int c = 0; c < kCoefficients; ++c)
      for (int d = 0; d <= c; ++d) normal_.add(c, d, weights[k] * basis[k][c] * basis[k][d]);
  }
  for (int c = 0; c < kCoefficients; ++c) {
    const double i = c % kPartAcross, j = c / kPartAcross;
    normal_.add(c, c, (1 + i * i + j * j) / (size * size));
  }
  normal_.factor();
  for (int k = 0; k < n; ++k) {
    std::vector<double> right(kCoefficients);
    for (int c = 0; c < kCoefficients; ++c) right[c] = weights[k] * basis[k][c];
    normal_.solve(right);
    for (int c = 0; c < kCoefficients; ++c) rows_[k][c] = static_cast<float>(right[c]);
  }
}

Series SeriesFit::of(const std::vector<float>& values) const {
  std::array<float, kCoefficients> sum{};
  for (std::size_t k = 0; k < rows_.size(); ++k)
    for (int c = 0; c < kCoefficients; ++c) sum[c] += rows_[k][c] * values[k];
  Series out;
  std::copy(sum.begin(), sum.end(), out.begin());
  return out;
}

double SeriesFit::noise(const Series& share) const {
  Series solved = share;
  normal_.solve(solved);
  return product(share, solved);
}

}  // namespace tsukimi
