// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/points.h"

#include <cmath>

namespace tsukimi {

double points_at(double v, double white, double black) {
  const double top = std::exp2(-0.5 * 1.35 * white / 100);  // v that becomes 1
  const double bottom = -0.12 * black / 100;                // v that becomes 0
  return (v - bottom) / (top - bottom);
}

}  // namespace tsukimi
