#pragma once

#include <cmath>
#include <cstdint>
#include <utility>

namespace tsukimi {

// A positive number as the rational EXIF wants: 1/n below a third, above it over the smallest power
// of ten that says it (5.6 is 56/10).
inline std::pair<std::uint32_t, std::uint32_t> exif_rational(double v) {
  if (v < 0.3) {
    const double n = 1 / v;
    if (std::fabs(n - std::round(n)) < 1e-3 * n)
      return {1, static_cast<std::uint32_t>(std::lround(n))};
    return {static_cast<std::uint32_t>(std::lround(v * 1e6)), 1000000};
  }
  std::uint32_t over = 1;
  while (over < 1000 && std::fabs(v * over - std::round(v * over)) > 1e-6 * v * over) over *= 10;
  return {static_cast<std::uint32_t>(std::lround(v * over)), over};
}

}  // namespace tsukimi
