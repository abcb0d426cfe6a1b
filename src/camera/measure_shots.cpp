// SPDX-License-Identifier: GPL-3.0-or-later
// What shots of a moment say of each other: merge.h has it.
#include <cmath>
#include <limits>

#include "base/median.h"
#include "base/parallel.h"
#include "camera/exposed.h"

namespace tsukimi {
namespace {

// fn(x, y): of one place of a grid over the picture what each shot has there, of its own clipping.
template <typename Fn>
void over_grid(const SensorFrame& frame, const Fn& fn) {
  constexpr int kAcross = 240, kDown = 160;
  const Size size = frame.sensor_size();
  for (int j = 0; j < kDown; ++j)
    for (int i = 0; i < kAcross; ++i)
      fn(static_cast<int>((i + 0.5) * size.width / kAcross) & ~1,
         static_cast<int>((j + 0.5) * size.height / kDown) & ~1);
}

// The mean of the colour pattern's four places, or of a pixel's three colours; -1 where it is too
// near to clipping.
float light_at(const SensorFrame& frame, int x, int y) {
  float sum = 0, most = 0;
  const auto add = [&](float v) { sum += v, most = std::max(most, v); };
  if (frame.is_mosaic()) {
    const int x0 = std::min(x, frame.mosaic.width - 2), y0 = std::min(y, frame.mosaic.height - 2);
    for (int k = 0; k < 4; ++k) add(frame.mosaic.light(x0 + k % 2, y0 + k / 2));
    sum /= 4;
  } else {
    for (const Plane& plane : frame.rgb.planes) add(plane.at(x, y));
    sum /= 3;
  }
  return most < kSureBelow ? sum : -1;
}

// The mean light of a block in each shot, of its own clipping; how many values it is of, and the
// most of them.
struct BlockLight {
  float mean = 0, most = 0;
  int count = 0;
  BlockLight(const SensorFrame& frame, int x0, int y0, int x1, int y1) {
    float sum = 0;
    const auto add = [&](float v) { sum += v, most = std::max(most, v), ++count; };
    for (int y = y0; y < y1; ++y)
      for (int x = x0; x < x1; ++x) {
        if (frame.is_mosaic())
          add(frame.mosaic.light(x, y));
        else
          for (const Plane& plane : frame.rgb.planes) add(plane.at(x, y));
      }
    mean = sum / static_cast<float>(std::max(count, 1));
  }
};

}  // namespace

std::vector<float> measure_stops(const std::vector<MergeShot>& shots) {
  // What is darker than that in either of them says little.
  constexpr double kDark = 20;  // times the noise of reading
  constexpr std::size_t kEnough = 400;
  std::vector<float> out;
  for (std::size_t s = 1; s < shots.size(); ++s) {
    std::vector<double> apart;
    const auto dark = [](const MergeShot& shot) {
      return static_cast<float>(kDark * kShotRead * std::max(shot.iso, 25.0) / 100 / kShotWell);
    };
    const float dark_a = dark(shots.front()), dark_b = dark(shots[s]);
    over_grid(shots.front().frame, [&](int x, int y) {
      const float a = light_at(shots.front().frame, x, y), b = light_at(shots[s].frame, x, y);
      if (a > dark_a && b > dark_b) apart.push_back(std::log2(b / a));
    });
    out.push_back(apart.size() < kEnough ? std::numeric_limits<float>::quiet_NaN()
                                         : static_cast<float>(median(std::move(apart))));
  }
  return out;
}

std::vector<std::uint8_t> find_moving(const std::vector<MergeShot>& shots) {
  constexpr float kSeen = 0.02f, kSigmas = 5;  // of the light; of its noise
  constexpr int kBlocks = 8;                   // along a cell, at most
  constexpr int kFewest = 2;                   // blocks that differ: one does by chance
  std::vector<Exposed> exposures;
  for (const MergeShot& shot : shots) exposures.push_back(exposed(shot));
  const Size size = shots.front().frame.sensor_size();
  const int side = std::max(2, size.width / MergeInfo::kAcross / kBlocks & ~1);
  std::vector<std::uint8_t> out(MergeInfo::kAcross * MergeInfo::kDown, 0);
  const auto differs = [&](int x0, int y0, int x1, int y1) {
    const BlockLight own(shots.front().frame, x0, y0, x1, y1);
    const auto noise = [](const Exposed& e, const BlockLight& b) {
      return (std::max(b.mean, 0.0f) * e.per_well + e.read_square) * e.to_frame * e.to_frame /
             static_cast<float>(b.count);
    };
    // The frame's own may be clipped: then the others by themselves.
    std::vector<std::pair<float, float>> seen;  // light of the frame's, variance
    if (own.most < kClippedFrom) seen.emplace_back(own.mean, noise(exposures.front(), own));
    for (std::size_t s = 1; s < shots.size(); ++s) {
      const BlockLight block(shots[s].frame, x0, y0, x1, y1);
      if (block.most < kClippedFrom)
        seen.emplace_back(block.mean * exposures[s].to_frame, noise(exposures[s], block));
    }
    for (std::size_t s = 1; s < seen.size(); ++s) {
      const auto [a, of_a] = seen.front();
      const auto [b, of_b] = seen[s];
      if (std::fabs(a - b) > kSigmas * std::sqrt(of_a + of_b) + kSeen * std::max(a, b)) return true;
    }
    return false;
  };
  parallel_ranges(MergeInfo::kDown, 1, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < MergeInfo::kAcross; ++column) {
        const int left = column * size.width / MergeInfo::kAcross & ~1,
                  right = (column + 1) * size.width / MergeInfo::kAcross,
                  top = row * size.height / MergeInfo::kDown & ~1,
                  bottom = (row + 1) * size.height / MergeInfo::kDown;
        int found = 0;
        for (int y = top; y < bottom && found < kFewest; y += side)
          for (int x = left; x < right && found < kFewest; x += side)
            found += differs(x, y, std::min(x + side, size.width), std::min(y + side, size.height));
        out[static_cast<std::size_t>(row * MergeInfo::kAcross + column)] =
            found == kFewest ? 255 : 0;
      }
  });
  return out;
}

std::vector<std::uint8_t> widened(const std::vector<std::uint8_t>& moving) {
  std::vector<std::uint8_t> out(moving.size(), 0);
  for (int y = 0; y < MergeInfo::kDown && !moving.empty(); ++y)
    for (int x = 0; x < MergeInfo::kAcross; ++x) {
      std::uint8_t most = 0;
      for (int j = std::max(0, y - 1); j <= std::min(MergeInfo::kDown - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(MergeInfo::kAcross - 1, x + 1); ++i)
          most = std::max(most, moving[static_cast<std::size_t>(j * MergeInfo::kAcross + i)]);
      out[static_cast<std::size_t>(y * MergeInfo::kAcross + x)] = most;
    }
  return out;
}

}  // namespace tsukimi
