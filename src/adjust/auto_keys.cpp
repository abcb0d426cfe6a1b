// SPDX-License-Identifier: GPL-3.0-or-later
#include "adjust/auto_keys.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

int least_apart(int frames) {
  constexpr int kFew = 8;
  return frames < kFew ? 1 : std::max(2, static_cast<int>(frames * 0.08));
}

std::vector<int> place_keys(const std::vector<double>& curve, int most, double tolerance,
                            std::vector<int> there) {
  const int n = static_cast<int>(curve.size());
  if (n == 0) return {};
  std::vector<int> keys = std::move(there);
  if (keys.empty()) {
    keys.push_back(0);
    if (n > 1) keys.push_back(n - 1);
  }
  const int apart = least_apart(n);
  while (static_cast<int>(keys.size()) < most) {
    double worst = tolerance;
    int at = -1;
    for (std::size_t k = 0; k + 1 < keys.size(); ++k) {
      const int a = keys[k], b = keys[k + 1];
      for (int i = a + apart; i <= b - apart; ++i) {
        const double line = curve[a] + (curve[b] - curve[a]) * (i - a) / (b - a);
        const double miss = std::fabs(curve[i] - line);
        if (miss > worst) worst = miss, at = i;
      }
    }
    if (at < 0) break;
    keys.insert(std::upper_bound(keys.begin(), keys.end(), at), at);
  }
  return keys;
}

}  // namespace tsukimi
