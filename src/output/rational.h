#pragma once

#include <cmath>
#include <cstdint>
#include <utility>

namespace tsukimi {

// A positive number as the rational EXIF wants: 1/n below a third, thousandths above.
inline std::pair<std::uint32_t, std::uint32_t> exif_rational(double v) {
  if (v < 0.3) {
    const double n = 1 / v;
    if (std::fabs(n - std::round(n)) < 1e-3 * n)
      return {1, static_cast<std::uint32_t>(std::lround(n))};
    return {static_cast<std::uint32_t>(std::lround(v * 1e6)), 1000000};
  }
  return {static_cast<std::uint32_t>(std::lround(v * 1000)), 1000};
}

}  // namespace tsukimi
