// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/light.h"

#include <cmath>
#include <numbers>

namespace tsukimi {

double GainField::stops_at(double x, double y) const {
  double sum = 0;
  for (int j = 0; j < down; ++j) {
    double row = 0;
    for (int i = 0; i < across; ++i)
      row += coefficients[static_cast<std::size_t>(j * across + i)] *
             std::cos(std::numbers::pi * i * x);
    sum += row * std::cos(std::numbers::pi * j * y);
  }
  return sum;
}

}  // namespace tsukimi
