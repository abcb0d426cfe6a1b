#include "frames/hot_pixels.h"

#include <algorithm>
#include <cmath>

#include "frames/sensor_frame.h"

namespace tsukimi {
namespace {

// The median of the four neighbours of the same colour, and how far they spread.
float around(const Plane& m, int x, int y, float& spread) {
  const int left = x >= 2 ? x - 2 : x + 2, right = x + 2 < m.width ? x + 2 : x - 2;
  const int up = y >= 2 ? y - 2 : y + 2, down = y + 2 < m.height ? y + 2 : y - 2;
  float v[4] = {m.at(left, y), m.at(right, y), m.at(x, up), m.at(x, down)};
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
    const Plane& m = frame->mosaic;
    if (looked == 0) {
      size = {m.width, m.height};
      seen.assign(m.data.size(), 0);
      glow.assign(m.data.size(), 0);
    }
    if (m.width != size.width || m.height != size.height) continue;
    ++looked;
    parallel_rows(m.height, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < m.width; ++x) {
          float spread = 0;
          const float base = around(m, x, y, spread), above = m.at(x, y) - base;
          // Beyond what edges and noise make there.
          if (above < 0.004f + 2 * spread) continue;
          const std::size_t i = static_cast<std::size_t>(y) * m.width + x;
          ++seen[i];
          glow[i] += above;
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

void mend_hot_pixels(Plane& mosaic, const HotPixels& hot, double amount) {
  if (amount <= 0) return;
  const auto limit = static_cast<float>(0.3 * std::exp2(-6 * amount / 100));
  for (const auto& p : hot)
    if (p.strength >= limit && p.x < mosaic.width && p.y < mosaic.height) {
      float spread = 0;
      mosaic.at(p.x, p.y) = around(mosaic, p.x, p.y, spread);
    }
}

}  // namespace tsukimi
