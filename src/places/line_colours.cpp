// SPDX-License-Identifier: GPL-3.0-or-later
#include "places/line_colours.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

// Light in 0.4 stops, two differences of colours in 0.25; what lies beyond counts as the last.
constexpr int kLight = 40, kColour = 32;

std::size_t bin_of(int light, int warm, int cold) {
  return static_cast<std::size_t>((light * kColour + warm) * kColour + cold);
}

std::size_t bin_of(float red, float green, float blue) {
  auto at = [](float v, float per, int n) {
    return std::clamp(static_cast<int>(std::floor(v / per)) + n / 2, 0, n - 1);
  };
  return bin_of(at((red + green + blue) / 3 + 4, 0.4f, kLight), at(red - green, 0.25f, kColour),
                at(blue - green, 0.25f, kColour));
}

}  // namespace

LineColours::LineColours(const Image& stops, const std::vector<std::uint8_t>& under, int left,
                         int top, int width)
    : count_(static_cast<std::size_t>(kLight) * kColour * kColour, 0.0f) {
  std::vector<std::size_t> bins;
  for (std::size_t i = 0; i < under.size(); ++i) {
    if (!under[i]) continue;
    const int x = left + static_cast<int>(i % static_cast<std::size_t>(width)),
              y = top + static_cast<int>(i / static_cast<std::size_t>(width));
    bins.push_back(
        bin_of(stops.planes[0].at(x, y), stops.planes[1].at(x, y), stops.planes[2].at(x, y)));
  }
  if (bins.empty()) return;
  for (const std::size_t b : bins) {
    const int cold = static_cast<int>(b) % kColour, warm = static_cast<int>(b) / kColour % kColour,
              light = static_cast<int>(b) / kColour / kColour;
    for (int i = -1; i <= 1; ++i)
      for (int j = -1; j <= 1; ++j)
        for (int k = -1; k <= 1; ++k) {
          const int l = light + i, m = warm + j, n = cold + k;
          if (l < 0 || m < 0 || n < 0 || l >= kLight || m >= kColour || n >= kColour) continue;
          count_[bin_of(l, m, n)] +=
              static_cast<float>((2 - std::abs(i)) * (2 - std::abs(j)) * (2 - std::abs(k)));
        }
  }
  std::vector<float> own;
  for (const std::size_t b : bins) own.push_back(count_[b]);
  const auto tenth = own.begin() + static_cast<std::ptrdiff_t>(own.size() / 10);
  std::nth_element(own.begin(), tenth, own.end());
  common_ = *tenth;
}

float LineColours::share(float red, float green, float blue) const {
  return std::min(1.0f, count_[bin_of(red, green, blue)] / common_);
}

}  // namespace tsukimi
