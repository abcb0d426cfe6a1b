// SPDX-License-Identifier: GPL-3.0-or-later
// A structured scene of which light is known everywhere, also between pixels.
#pragma once

#include <cmath>
#include <random>
#include <vector>

namespace tsukimi::test {

class Waves {
 public:
  Waves() {
    std::mt19937 random(7);
    std::normal_distribution<double> normal;
    for (int i = 0; i < 40; ++i) {
      const double k = 0.05 + std::fabs(normal(random)), turn = 6.28 * normal(random);
      waves_.push_back(
          {k * std::cos(turn), k * std::sin(turn), 6.28 * normal(random), 0.15 / (1 + 3 * k)});
    }
  }
  double stops(double x, double y) const {  // pixels
    double out = 0;
    for (const Wave& w : waves_) out += w.stops * std::sin(w.x * x + w.y * y + w.phase);
    return out;
  }

 private:
  struct Wave {
    double x, y, phase, stops;
  };
  std::vector<Wave> waves_;
};

}  // namespace tsukimi::test
