// SPDX-License-Identifier: GPL-3.0-or-later
// Patterns over the picture as a cosine series, and how the cells' values are fitted by one.
#pragma once

#include <array>
#include <vector>

#include "base/banded.h"
#include "measure/cell_light.h"

namespace tsukimi {

constexpr int kPartAcross = 8, kPartDown = 6, kCoefficients = kPartAcross * kPartDown;

// Coefficients row by row, as in GainField.
using Series = std::array<double, kCoefficients>;

double product(const Series& a, const Series& b);

// RMS over the picture of one of the cosines is its square root.
double norm_of(int coefficient);

// The series that fits values of the cells best: the same sums for all that are fitted. What cells
// hardly tell is taken for small, finer things for smaller.
class SeriesFit {
 public:
  // cells: their places in CellLight. weights: 1 / variance of their values. size: what a
  // coefficient may have.
  SeriesFit(const std::vector<int>& cells, const std::vector<double>& weights, double size);
  // values: of every one of the cells.
  Series of(const std::vector<float>& values) const;
  // The variance that noise of the cells gives to the sum of (share times coefficient).
  double noise(const Series& share) const;

 private:
  BandedSystem normal_;
  std::vector<std::array<float, kCoefficients>> rows_;
};

}  // namespace tsukimi
