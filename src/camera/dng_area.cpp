// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/dng_area.h"

#include <cmath>

namespace tsukimi {
namespace {

enum AreaTag { kCropOrigin = 50719, kCropSize = 50720 };
constexpr int kLeastSide = 4;

}  // namespace

std::optional<StoredArea> dng_area(const TiffTags& tags) {
  const auto* d = raw_directory(tags);
  if (!d) return {};
  auto two = [&](int tag) {
    auto out = tags.numbers(*d, tag, 2);
    out.resize(out.size() == 2 && std::isfinite(out[0]) && std::isfinite(out[1]) ? 2 : 0);
    return out;
  };
  const auto across = tags.numbers(*d, kWidth, 1), down = tags.numbers(*d, kHeight, 1);
  if (across.empty() || down.empty()) return {};
  double left = 0, top = 0, right = across[0], bottom = down[0];
  // Top, left, bottom, right.
  if (const auto n = tags.numbers(*d, kActiveArea, 4); n.size() == 4) {
    const bool inside =
        n[0] >= 0 && n[1] >= 0 && n[0] < n[2] && n[1] < n[3] && n[2] <= bottom && n[3] <= right;
    if (!inside) return {};
    top = n[0], left = n[1], bottom = n[2], right = n[3];
  }
  const double pattern_left = left, pattern_top = top;
  // Fractions are for crops of pictures that are scaled afterwards; nobody takes half a pixel.
  if (const auto at = two(kCropOrigin), size = two(kCropSize); !at.empty() && !size.empty()) {
    const double x = left + std::round(at[0]), y = top + std::round(at[1]), w = std::round(size[0]),
                 h = std::round(size[1]);
    if (at[0] >= 0 && at[1] >= 0 && w >= kLeastSide && h >= kLeastSide && x + w <= right &&
        y + h <= bottom)
      left = x, top = y, right = x + w, bottom = y + h;
  }
  if (right - left < kLeastSide || bottom - top < kLeastSide || right > 1e6 || bottom > 1e6)
    return {};
  auto whole = [](double v) { return static_cast<int>(v); };
  return StoredArea{whole(left),         whole(top),          whole(right - left),
                    whole(bottom - top), whole(pattern_left), whole(pattern_top)};
}

}  // namespace tsukimi
