// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/grid_in_place.h"

#include <algorithm>
#include <atomic>
#include <cmath>

#include "base/parallel.h"
#include "film/checks.h"

namespace tsukimi {
namespace {

// Sums over all that lies above and left, between pixels too: means of boxes that begin anywhere.
class BoxSums {
 public:
  BoxSums(int width, int height)
      : width_(width),
        height_(height),
        sums_(static_cast<std::size_t>(width + 1) * (height + 1), 0.0) {}
  // light(x, y) of every pixel.
  template <typename Light>
  void fill(const Light& light) {
    for (int y = 0; y < height_; ++y) {
      double row = 0;
      const double* above = sums_.data() + static_cast<std::size_t>(y) * (width_ + 1);
      double* here = sums_.data() + static_cast<std::size_t>(y + 1) * (width_ + 1);
      for (int x = 0; x < width_; ++x) {
        row += light(x, y);
        here[x + 1] = above[x + 1] + row;
      }
    }
  }
  double mean(double x0, double y0, double x1, double y1) const {
    return (at(x1, y1) - at(x0, y1) - at(x1, y0) + at(x0, y0)) / ((x1 - x0) * (y1 - y0));
  }

 private:
  double at(double x, double y) const {
    const int i = std::min(static_cast<int>(x), width_ - 1),
              j = std::min(static_cast<int>(y), height_ - 1);
    const double u = x - i, v = y - j;
    const double* top = sums_.data() + static_cast<std::size_t>(j) * (width_ + 1) + i;
    const double* low = top + width_ + 1;
    return (1 - v) * ((1 - u) * top[0] + u * top[1]) + v * ((1 - u) * low[0] + u * low[1]);
  }
  int width_, height_;
  std::vector<double> sums_;
};

// Of a part of the frame (fractions) the largest share that is clipped in a cell that it touches.
std::uint8_t clipped_in(const LightGrid& grid, const Rect& part) {
  const auto cell = [](double place, int cells) {
    return std::clamp(static_cast<int>(std::floor(place * cells)), 0, cells - 1);
  };
  constexpr double kTouch = 1e-6;
  std::uint8_t out = 0;
  for (int y = cell(part.y, LightGrid::kRows);
       y <= cell(part.y + part.h - kTouch, LightGrid::kRows); ++y)
    for (int x = cell(part.x, LightGrid::kColumns);
         x <= cell(part.x + part.w - kTouch, LightGrid::kColumns); ++x)
      out = std::max(out, grid.clipped[static_cast<std::size_t>(y * LightGrid::kColumns + x)]);
  return out;
}

// The same part of what the first frame shows, in this one: its middle goes where the picture went.
Rect in_frame(const Rect& part, const Similarity& move, double aspect) {
  const Offset middle{part.x + part.w / 2 - 0.5, (part.y + part.h / 2 - 0.5) / aspect};
  const Offset now = moved(move, middle);
  return {part.x + now.x - middle.x, part.y + (now.y - middle.y) * aspect, part.w, part.h};
}

// fn(number of the cell, where it lies in the frame, whether that is within it).
template <typename Fn>
void each_cell(int columns, int rows, const Similarity& move, double aspect, const Fn& fn) {
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column) {
      const Rect part{static_cast<double>(column) / columns, static_cast<double>(row) / rows,
                      1.0 / columns, 1.0 / rows};
      const Rect now = in_frame(part, move, aspect);
      const bool within = now.x >= 0 && now.y >= 0 && now.x + now.w <= 1 && now.y + now.h <= 1;
      fn(static_cast<std::size_t>(row * columns + column), now, within);
    }
}

}  // namespace

LightGrid grid_in_place(const Proxy& proxy, const Similarity& move) {
  const Image rgb = unpack(proxy);
  const double aspect = static_cast<double>(proxy.full.width) / proxy.full.height;
  BoxSums sums(rgb.width, rgb.height);
  const double up = std::exp2(proxy.headroom);  // to light of the frame's own exposure
  const auto mean_of = [&](const Rect& part) {
    const Rect p = part_of_proxy(proxy, part);
    return static_cast<float>(up * sums.mean(p.x * rgb.width, p.y * rgb.height,
                                             (p.x + p.w) * rgb.width, (p.y + p.h) * rgb.height));
  };
  LightGrid out = proxy.grid;
  const auto& [red, green, blue] = rgb.planes;
  sums.fill([&](int x, int y) {
    return 0.25 * (static_cast<double>(red.at(x, y)) + 2.0 * green.at(x, y) + blue.at(x, y));
  });
  each_cell(LightGrid::kColumns, LightGrid::kRows, move, aspect,
            [&](std::size_t k, const Rect& part, bool within) {
              out.light[k] = within ? mean_of(part) : 0;
              out.clipped[k] = clipped_in(proxy.grid, part);
            });
  for (const bool of_red : {true, false}) {
    const Plane& plane = of_red ? red : blue;
    sums.fill([&](int x, int y) { return static_cast<double>(plane.at(x, y)); });
    float* to = out.red_blue.data() + (of_red ? 0 : LightGrid::kColourCells);
    each_cell(
        LightGrid::kColourColumns, LightGrid::kColourRows, move, aspect,
        [&](std::size_t k, const Rect& part, bool within) { to[k] = within ? mean_of(part) : 0; });
  }
  return out;
}

std::shared_ptr<const MotionTrack> track_for_light(const Shoot& shoot) {
  // Less is lost in the proxies' pixels, in widths of the frame.
  constexpr double kLeast = 0.0001;
  const auto& track = shoot.motion;
  if (!wants_motion(shoot) || !track || track->frames.size() != shoot.sequence.places.size())
    return {};
  const bool moved = std::ranges::any_of(track->frames, [](const FrameMotion& f) {
    return std::max({std::fabs(f.move.dx), std::fabs(f.move.dy), std::fabs(f.move.angle) / 2,
                     std::fabs(f.move.log_scale) / 2}) > kLeast;
  });
  return moved ? track : nullptr;
}

void place_grids(const Shoot& shoot, ProxyStore& store, LightGrids& grids, const Work& work) {
  std::atomic<int> done{0};
  const int n = static_cast<int>(std::min(grids.size(), shoot.sequence.frames.size()));
  parallel_ranges(n, 4, [&](int first, int last) {
    for (int i = first; i < last && !work.stop(); ++i) {
      const auto at = static_cast<std::size_t>(i);
      if (grids[at])
        if (const auto proxy = store.get(shoot.sequence.frames[at]))
          grids[at] = grid_in_place(**proxy, move_of(shoot, i));
      work.report(++done, n);
    }
  });
}

}  // namespace tsukimi
