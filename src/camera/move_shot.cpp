// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/move_shot.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr float kUnknown = 1;  // clipping

// Along one side: samples of a colour lie `step` apart.
struct Along {
  int step, size, whole;  // whole: of the move, in samples
  double part;            // the rest of it, 0..1
  std::array<float, 4> weight;

  Along(double move, int step_, int size_) : step(step_), size(size_) {
    const double samples = move / step;
    whole = static_cast<int>(std::floor(samples));
    part = samples - whole;
    const auto t = static_cast<float>(part);
    weight = {t * (-0.5f + t * (1 - 0.5f * t)), 1 + t * t * (-2.5f + 1.5f * t),
              t * (0.5f + t * (2 - 1.5f * t)), t * t * (-0.5f + 0.5f * t)};
  }
  // The sample that tap k (0..3) of place i takes, the nearest of its colour where there is none.
  int at(int i, int k) const {
    const int first = i % step, last = first + (size - 1 - first) / step * step;
    return std::clamp(i + (whole + k - 1) * step, first, last);
  }
  // Whether what comes to i lies in the picture.
  bool has(int i) const {
    const double from = i + (whole + part) * step;
    return from >= 0 && from <= size - 1;
  }
};

// line(y): a row of light; out(y): where the moved one goes.
template <typename Line, typename Out>
void move_plane(Size size, int step, double dx, double dy, bool keeps_edge, const Line& line,
                const Out& out) {
  const Along across(dx, step, size.width), down(dy, step, size.height);
  parallel_rows(size.height, [&](int y0, int y1) {
    std::vector<float> mixed(static_cast<std::size_t>(size.width));
    for (int y = y0; y < y1; ++y) {
      float* const to = out(y);
      if (!keeps_edge && !down.has(y)) {
        std::fill_n(to, size.width, kUnknown);
        continue;
      }
      const float* in[4];
      for (int k = 0; k < 4; ++k) in[k] = line(down.at(y, k));
      const auto& v = down.weight;
      for (int x = 0; x < size.width; ++x)
        mixed[static_cast<std::size_t>(x)] =
            v[0] * in[0][x] + v[1] * in[1][x] + v[2] * in[2][x] + v[3] * in[3][x];
      const auto& w = across.weight;
      // Between these every tap lies in the picture.
      const int first = std::clamp(-(across.whole - 1) * step, 0, size.width),
                last = std::clamp(size.width - (across.whole + 2) * step, first, size.width);
      const float* from = mixed.data() + (across.whole - 1) * step;
      for (int x = first; x < last; ++x)
        to[x] = w[0] * from[x] + w[1] * from[x + step] + w[2] * from[x + 2 * step] +
                w[3] * from[x + 3 * step];
      const auto edge = [&](int x) {
        float sum = 0;
        for (int k = 0; k < 4; ++k)
          sum += w[static_cast<std::size_t>(k)] * mixed[static_cast<std::size_t>(across.at(x, k))];
        to[x] = keeps_edge || across.has(x) ? sum : kUnknown;
      };
      for (int x = 0; x < first; ++x) edge(x);
      for (int x = last; x < size.width; ++x) edge(x);
    }
  });
}

}  // namespace

void move_shot(SensorFrame& frame, double dx, double dy, bool keeps_edge) {
  if (dx == 0 && dy == 0) return;
  if (!frame.is_mosaic()) {
    const double scale = frame.halved.width > 0 ? 0.5 : 1;
    for (Plane& plane : frame.rgb.planes) {
      Plane moved(plane.width, plane.height);
      move_plane(
          frame.rgb.size(), 1, dx * scale, dy * scale, keeps_edge,
          [&](int y) { return plane.row(y); }, [&](int y) { return moved.row(y); });
      plane = std::move(moved);
    }
    return;
  }
  Mosaic& m = frame.mosaic;
  const auto pitch = static_cast<std::size_t>(m.width);
  const std::size_t bytes = pitch * static_cast<std::size_t>(m.height) * sizeof(float);
  const auto all = [&] {
    return std::shared_ptr<float>(static_cast<float*>(allocate_pixels(bytes)),
                                  [bytes](float* p) { free_pixels(p, bytes); });
  };
  const auto light = all(), moved = all();
  const auto row = [pitch](const std::shared_ptr<float>& of, int y) {
    return of.get() + pitch * static_cast<std::size_t>(y);
  };
  parallel_rows(m.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) m.light_row(y, row(light, y));
  });
  move_plane(
      {m.width, m.height}, 2, dx, dy, keeps_edge, [&](int y) { return row(light, y); },
      [&](int y) { return row(moved, y); });
  m.numbers.reset();
  m.merged = moved;
  m.stride = pitch;
}

}  // namespace tsukimi
