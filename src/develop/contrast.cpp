// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/contrast.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

double contrast_at(double v, double amount) {
  const double p = std::sqrt(0.18), a = std::clamp(amount, -100.0, 100.0) / 100 * 1.5;
  if (v > 1) return 1 + (v - 1) * (1 - a * (1 - p));
  return v + a * v * (v - p) * (1 - v);
}

}  // namespace tsukimi
