// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/histogram.h"

#include <cmath>
#include <numeric>

namespace tsukimi {
namespace {

std::uint8_t stop_bin(double light) {
  const double stops = light > 0 ? std::log2(light) : kSensorFloor;
  const double at = (stops - kSensorFloor) / -kSensorFloor * Histogram::kBins;
  return static_cast<std::uint8_t>(std::clamp(at, 0.0, Histogram::kBins - 1.0));
}

// The bin of every number that a proxy stores.
std::vector<std::uint8_t> stop_bins(StoredLight stored) {
  std::vector<std::uint8_t> bins(65536);
  for (std::size_t i = 0; i < bins.size(); ++i)
    bins[i] = stop_bin(stored.light(static_cast<float>(i)));
  return bins;
}
const std::vector<std::uint8_t>& stop_bins_of(StoredLight stored) {
  static const std::vector<std::uint8_t> even = stop_bins(StoredLight(false)),
                                         merged = stop_bins(StoredLight(true));
  return stored.is_even() ? even : merged;
}

}  // namespace

Histogram histogram_of(const Encoded8& picture, int every) {
  Histogram h;
  std::uint32_t clipped = 0, black = 0, pixels = 0;
  for (int y = 0; y < picture.height; y += every) {
    const auto* p = picture.row(y);
    for (int x = 0; x < picture.width; ++x, p += 3) {
      ++h.counts[Histogram::red][p[0]];
      ++h.counts[Histogram::green][p[1]];
      ++h.counts[Histogram::blue][p[2]];
      ++h.counts[Histogram::brightness][static_cast<std::size_t>(luma(p[0], p[1], p[2]))];
      clipped += is_clipped(p[0], p[1], p[2]);
      black += is_black(p[0], p[1], p[2]);
    }
    pixels += static_cast<std::uint32_t>(picture.width);
  }
  const double all = std::max<std::uint32_t>(1, pixels);
  h.clipped = clipped / all;
  h.black = black / all;
  return h;
}

Histogram sensor_histogram_of(const Proxy& proxy) {
  Histogram h;
  const StoredLight stored = proxy.stored();
  const auto& bins = stop_bins_of(stored);
  const std::size_t pixels = static_cast<std::size_t>(proxy.width) * proxy.height;
  const auto *r = proxy.data.data(), *g = r + pixels, *b = g + pixels;
  for (std::size_t i = 0; i < pixels; ++i) {
    ++h.counts[Histogram::red][bins[r[i]]];
    ++h.counts[Histogram::green][bins[g[i]]];
    ++h.counts[Histogram::blue][bins[b[i]]];
    const std::uint8_t bright =
        stored.is_even()
            ? bins[(r[i] + 2 * g[i] + b[i] + 2) >> 2]
            : stop_bin((stored.light(r[i]) + 2 * stored.light(g[i]) + stored.light(b[i])) / 4);
    ++h.counts[Histogram::brightness][bright];
  }
  const double all = std::max<double>(1, static_cast<double>(pixels));
  h.black = h.counts[Histogram::brightness][0] / all;
  const auto& clipped = proxy.grid.clipped;
  if (!clipped.empty())
    h.clipped = std::accumulate(clipped.begin(), clipped.end(), 0.0) / 255 /
                static_cast<double>(clipped.size());
  return h;
}

}  // namespace tsukimi
