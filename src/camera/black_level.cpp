// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/black_level.h"

#include <algorithm>

namespace tsukimi {
namespace {

enum LevelTag { kRepeat = 50713, kLevel = 50714, kDeltaAcross = 50715, kDeltaDown = 50716 };

int wrapped(int i, int n) { return ((i % n) + n) % n; }

double of(const std::vector<double>& v, int i) {
  return v.empty() ? 0 : v[std::clamp(i, 0, static_cast<int>(v.size()) - 1)];
}

}  // namespace

double BlackLevels::at(int x, int y, int sample) const {
  const int px = x - left, py = y - top;
  const std::size_t i =
      (static_cast<std::size_t>(wrapped(py, rows)) * columns + wrapped(px, columns)) * samples +
      std::min(sample, samples - 1);
  return base[i] + of(across, px) + of(down, py);
}

double BlackLevels::most() const {
  auto largest = [](const std::vector<double>& v) {
    return v.empty() ? 0.0 : *std::max_element(v.begin(), v.end());
  };
  return largest(base) + largest(across) + largest(down);
}

std::optional<BlackLevels> read_black_levels(const TiffTags& tags) {
  for (const auto& d : tags.directories()) {
    if (!d.count(kDeltaAcross) && !d.count(kDeltaDown)) continue;
    BlackLevels out;
    out.across = tags.numbers(d, kDeltaAcross);
    out.down = tags.numbers(d, kDeltaDown);
    if (const auto n = tags.numbers(d, kSamples, 1); !n.empty() && n[0] >= 1 && n[0] <= 4)
      out.samples = static_cast<int>(n[0]);
    if (const auto n = tags.numbers(d, kRepeat, 2);
        n.size() == 2 && n[0] >= 1 && n[1] >= 1 && n[0] <= 64 && n[1] <= 64) {
      out.rows = static_cast<int>(n[0]);
      out.columns = static_cast<int>(n[1]);
    }
    const auto count = static_cast<std::size_t>(out.rows) * out.columns * out.samples;
    out.base = tags.numbers(d, kLevel, static_cast<std::uint32_t>(count));
    out.base.resize(count, out.base.empty() ? 0 : out.base.back());
    if (const auto n = tags.numbers(d, kActiveArea, 4); n.size() == 4) {
      out.top = static_cast<int>(n[0]);
      out.left = static_cast<int>(n[1]);
    }
    return out;
  }
  return {};
}

}  // namespace tsukimi
