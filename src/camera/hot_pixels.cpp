// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/hot_pixels.h"

#include <algorithm>
#include <cmath>

#include "camera/sensor_frame.h"

namespace tsukimi {
namespace {

// Where the neighbours of the same colour are; mirrored at the border.
int before(int i) { return i >= 2 ? i - 2 : i + 2; }
int after(int i, int n) { return i + 2 < n ? i + 2 : i - 2; }

// The median of four, and how far they spread.
float middle(float a, float b, float c, float d, float& spread) {
  float v[4] = {a, b, c, d};
  std::sort(v, v + 4);
  spread = v[3] - v[0];
  return 0.5f * (v[1] + v[2]);
}

}  // namespace

HotPixels find_hot_pixels(const std::filesystem::path& folder, const std::vector<FrameInfo>& frames,
                          const Work& work, int most) {
  std::vector<const FrameInfo*> usable;
  for (const auto& f : frames)
    if (f.usable()) usable.push_back(&f);
  const int n = std::min(most, static_cast<int>(usable.size()));
  Size size;
  std::vector<std::uint8_t> seen;
  std::vector<float> glow;
  int looked = 0;
  for (int k = 0; k < n && !work.stop(); ++k) {
    const auto at = static_cast<std::size_t>((k + 0.5) * static_cast<double>(usable.size()) / n);
    const auto frame = read_frame(folder / usable[at]->file);
    work.report(k + 1, n);
    if (!frame || !frame->is_mosaic()) continue;
    const Mosaic& m = frame->mosaic;
    if (looked == 0) {
      size = {m.width, m.height};
      seen.assign(static_cast<std::size_t>(m.width) * m.height, 0);
      glow.assign(seen.size(), 0);
    }
    if (m.width != size.width || m.height != size.height) continue;
    ++looked;
    parallel_rows(m.height, [&](int y0, int y1) {
      std::vector<float> rows[3];
      for (auto& row : rows) row.resize(m.width);
      for (int y = y0; y < y1; ++y) {
        m.light_row(before(y), rows[0].data());
        m.light_row(y, rows[1].data());
        m.light_row(after(y, m.height), rows[2].data());
        for (int x = 0; x < m.width; ++x) {
          float spread = 0;
          const float above = rows[1][x] - middle(rows[1][before(x)], rows[1][after(x, m.width)],
                                                  rows[0][x], rows[2][x], spread);
          // Beyond what edges and noise make there.
          if (above < 0.004f + 2 * spread) continue;
          const std::size_t i = static_cast<std::size_t>(y) * m.width + x;
          ++seen[i];
          glow[i] += above;
        }
      }
    });
  }
  HotPixels out;
  if (looked < 3 || work.stop()) return out;
  const int needed = std::max(3, static_cast<int>(std::ceil(0.7 * looked)));
  for (std::size_t i = 0; i < seen.size(); ++i)
    if (seen[i] >= needed)
      out.push_back({static_cast<int>(i % size.width), static_cast<int>(i / size.width),
                     glow[i] / static_cast<float>(seen[i])});
  return out;
}

float hot_limit(double amount) {
  // At 1 % only what glows by three tenths of clipping is mended, at 100 % six stops less.
  constexpr double kBrightest = 0.3, kStops = 6;
  constexpr float kNone = 1e9f;
  return amount > 0 ? static_cast<float>(kBrightest * std::exp2(-kStops * amount / 100)) : kNone;
}

float mended(const Mosaic& m, int x, int y) {
  float spread = 0;
  return middle(m.light(before(x), y), m.light(after(x, m.width), y), m.light(x, before(y)),
                m.light(x, after(y, m.height)), spread);
}

}  // namespace tsukimi
