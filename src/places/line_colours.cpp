#include "places/line_colours.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

namespace {

// Light and two differences of colours, in bins of so many stops; what lies beyond counts as the
// last.
struct Bins {
  int light, colour;
  float per_light, per_colour;
  std::size_t count() const {
    return static_cast<std::size_t>(light) * static_cast<std::size_t>(colour * colour);
  }
  std::size_t of(int l, int warm, int cold) const {
    return static_cast<std::size_t>((l * colour + warm) * colour + cold);
  }
  std::size_t of(float red, float green, float blue) const {
    auto at = [](float v, float per, int n) {
      return std::clamp(static_cast<int>(std::floor(v / per)) + n / 2, 0, n - 1);
    };
    return of(at((red + green + blue) / 3 + 4, per_light, light),
              at(red - green, per_colour, colour), at(blue - green, per_colour, colour));
  }
};
constexpr Bins kFine{40, 32, 0.4f, 0.25f}, kCoarse{12, 6, 0.8f, 0.7f};

}  // namespace

LineColours::LineColours(const Image& stops, const std::vector<std::uint8_t>& under, int left,
                         int top, int width, int apart)
    : count_(kFine.count(), 0.0f),
      share_(kCoarse.count(), 0.0f),
      pairs_(kCoarse.count() * kCoarse.count(), 0.0f) {
  const int height = static_cast<int>(under.size()) / width;
  auto is_under = [&](int x, int y) {
    return x >= 0 && x < width && y >= 0 && y < height &&
           under[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                 static_cast<std::size_t>(x)] != 0;
  };
  auto bin_at = [&](const Bins& bins, int x, int y) {
    return bins.of(stops.planes[0].at(left + x, top + y), stops.planes[1].at(left + x, top + y),
                   stops.planes[2].at(left + x, top + y));
  };
  std::vector<std::size_t> bins;
  float pairs = 0;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      if (!is_under(x, y)) continue;
      bins.push_back(bin_at(kFine, x, y));
      const std::size_t here = bin_at(kCoarse, x, y);
      for (int d : {apart, 2 * apart})
        for (const auto& [i, j] : {std::pair{d, 0}, {0, d}, {d, d}, {-d, d}}) {
          if (!is_under(x + i, y + j)) continue;
          const std::size_t there = bin_at(kCoarse, x + i, y + j);
          pairs_[here * kCoarse.count() + there] += 1;
          pairs_[there * kCoarse.count() + here] += 1;
          share_[here] += 1, share_[there] += 1;
          pairs += 2;
        }
    }
  if (bins.empty()) return;
  if (pairs > 0) {
    for (float& v : pairs_) v /= pairs;
    for (float& v : share_) v /= pairs;
  }
  for (const std::size_t b : bins) {
    const int of_colour = kFine.colour, cold = static_cast<int>(b) % of_colour,
              warm = static_cast<int>(b) / of_colour % of_colour,
              light = static_cast<int>(b) / of_colour / of_colour;
    for (int i = -1; i <= 1; ++i)
      for (int j = -1; j <= 1; ++j)
        for (int k = -1; k <= 1; ++k) {
          const int l = light + i, m = warm + j, n = cold + k;
          if (l < 0 || m < 0 || n < 0 || l >= kFine.light || m >= of_colour || n >= of_colour)
            continue;
          count_[kFine.of(l, m, n)] +=
              static_cast<float>((2 - std::abs(i)) * (2 - std::abs(j)) * (2 - std::abs(k)));
        }
  }
  std::vector<float> own;
  for (const std::size_t b : bins) own.push_back(count_[b]);
  const auto tenth = own.begin() + static_cast<std::ptrdiff_t>(own.size() / 10);
  std::nth_element(own.begin(), tenth, own.end());
  common_ = *tenth;
}

LineColours::Colour LineColours::find(float red, float green, float blue) const {
  return {kCoarse.of(red, green, blue),
          std::min(1.0f, count_[kFine.of(red, green, blue)] / common_)};
}

float LineColours::belong(const Colour& a, const Colour& b) const {
  const float both = std::min(a.common, b.common);
  if (a.coarse == b.coarse || both == 0) return both;
  constexpr float kApart = 0.1f, kStrewn = 0.2f;
  const float strewn = share_[a.coarse] * share_[b.coarse],
              beside = pairs_[a.coarse * kCoarse.count() + b.coarse];
  return strewn > 0 ? both * std::clamp((beside / strewn - kApart) / (kStrewn - kApart), 0.0f, 1.0f)
                    : 0.0f;
}

}  // namespace tsukimi
