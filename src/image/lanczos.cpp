// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/lanczos.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {

double lanczos(double x, double radius) {
  x = std::fabs(x);
  if (x >= radius) return 0;
  if (x < 1e-8) return 1;
  const double p = std::numbers::pi * x;
  return radius * std::sin(p) * std::sin(p / radius) / (p * p);
}

// Each tap's weights at kDegree + 1 places between two pixels give its polynomial; since the
// weights sum to 1 at every place, so do the polynomials.
LanczosTaps::LanczosTaps(double reduction, int radius) {
  const double widen = std::max(1.0, reduction);
  reach = static_cast<int>(std::ceil(radius * widen));
  constexpr int n = kDegree + 1;
  double place[n];
  for (int j = 0; j < n; ++j)  // Chebyshev's
    place[j] = 0.5 - 0.5 * std::cos(std::numbers::pi * (j + 0.5) / n);
  std::vector<double> value(static_cast<std::size_t>(2) * reach * n);
  for (int j = 0; j < n; ++j) {
    double sum = 0;
    for (int k = 0; k < 2 * reach; ++k)
      sum += value[k * n + j] = lanczos((k - (reach - 1) - place[j]) / widen, radius);
    for (int k = 0; k < 2 * reach; ++k) value[k * n + j] /= sum;
  }
  coefficients.resize(value.size());
  for (int k = 0; k < 2 * reach; ++k) {
    double whole[n] = {};
    for (int j = 0; j < n; ++j) {  // Lagrange
      double basis[n + 1] = {1}, scale = value[k * n + j];
      for (int i = 0; i < n; ++i) {
        if (i == j) continue;
        for (int p = n; p > 0; --p) basis[p] = basis[p - 1] - place[i] * basis[p];
        basis[0] *= -place[i];
        scale /= place[j] - place[i];
      }
      for (int p = 0; p < n; ++p) whole[p] += scale * basis[p];
    }
    for (int p = 0; p < n; ++p) coefficients[k * n + p] = static_cast<float>(whole[p]);
  }
}

}  // namespace tsukimi
