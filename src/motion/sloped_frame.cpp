// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/sloped_frame.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "base/parallel.h"
#include "image/guided.h"

namespace tsukimi {
namespace {

constexpr int kReach = 4;  // of the smoothing
using Kernel = std::array<float, 2 * kReach + 1>;

// A Gaussian.
Kernel gaussian() {
  Kernel out{};
  float sum = 0;
  for (int i = -kReach; i <= kReach; ++i) {
    const double t = i / kShiftSmoothing;
    sum += out[static_cast<std::size_t>(i + kReach)] = static_cast<float>(std::exp(-0.5 * t * t));
  }
  for (float& v : out) v /= sum;
  return out;
}

// Lagrange's polynomial through six pixels, exact enough for what is smoothed.
using Taps = std::array<float, 6>;
Taps taps(double part) {
  Taps out{};
  for (int i = 0; i < 6; ++i) {
    double v = 1;
    for (int j = 0; j < 6; ++j)
      if (j != i) v *= (part - (j - 2)) / (i - j);
    out[static_cast<std::size_t>(i)] = static_cast<float>(v);
  }
  return out;
}

}  // namespace

Plane displaced_part(const Plane& in, const Shift& shift, int x0, int y0, int x1, int y1) {
  const int ox = static_cast<int>(std::floor(shift.dx)),
            oy = static_cast<int>(std::floor(shift.dy));
  const Taps kx = taps(shift.dx - ox), ky = taps(shift.dy - oy);
  Plane out(x1 - x0, y1 - y0);
  const int wide = out.width + 5, left = x0 + ox - 2;
  const bool inside = left >= 0 && left + wide <= in.width;
  std::vector<float> line(static_cast<std::size_t>(wide)), border(line.size());
  for (int y = y0; y < y1; ++y) {
    std::ranges::fill(line, 0.0f);
    for (int j = 0; j < 6; ++j) {
      const float* from = in.row(std::clamp(y + oy + j - 2, 0, in.height - 1));
      if (inside) {
        from += left;
      } else {
        for (int i = 0; i < wide; ++i)
          border[static_cast<std::size_t>(i)] = from[std::clamp(left + i, 0, in.width - 1)];
        from = border.data();
      }
      const float k = ky[static_cast<std::size_t>(j)];
      for (int i = 0; i < wide; ++i) line[static_cast<std::size_t>(i)] += k * from[i];
    }
    float* to = out.row(y - y0);
    std::fill(to, to + out.width, 0.0f);
    for (int i = 0; i < 6; ++i) {
      const float k = kx[static_cast<std::size_t>(i)];
      const float* from = line.data() + i;
      for (int x = 0; x < out.width; ++x) to[x] += k * from[x];
    }
  }
  return out;
}

Plane displaced(const Plane& in, const Shift& shift) {
  Plane out(in.width, in.height);
  parallel_rows(in.height, [&](int y0, int y1) {
    const Plane part = displaced_part(in, shift, 0, y0, in.width, y1);
    std::ranges::copy(part.data, out.row(y0));
  });
  return out;
}

Plane smoothed(const Plane& in) {
  const Kernel kernel = gaussian();
  const int w = in.width, h = in.height;
  Plane half(w, h), out(w, h);
  parallel_rows(h, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(w + 2 * kReach));
    for (int y = y0; y < y1; ++y) {
      const float* from = in.row(y);
      for (int x = 0; x < w + 2 * kReach; ++x)
        line[static_cast<std::size_t>(x)] = from[std::clamp(x - kReach, 0, w - 1)];
      float* to = half.row(y);
      std::fill(to, to + w, 0.0f);
      for (int i = 0; i <= 2 * kReach; ++i) {
        const float k = kernel[static_cast<std::size_t>(i)];
        const float* shifted = line.data() + i;
        for (int x = 0; x < w; ++x) to[x] += k * shifted[x];
      }
    }
  });
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float* to = out.row(y);
      std::fill(to, to + w, 0.0f);
      for (int i = -kReach; i <= kReach; ++i) {
        const float k = kernel[static_cast<std::size_t>(i + kReach)];
        const float* from = half.row(std::clamp(y + i, 0, h - 1));
        for (int x = 0; x < w; ++x) to[x] += k * from[x];
      }
    }
  });
  return out;
}

Plane all_known(const Plane& known) {
  Plane out = box_mean(known, kReach);
  for (float& v : out.data) v = v > 0.999f ? 1.0f : 0.0f;
  return out;
}

SlopedFrame with_slopes(Plane stops, Plane known) {
  const int w = stops.width, h = stops.height;
  SlopedFrame out{{}, {w, h}, {w, h}, std::move(known)};
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float* row = stops.row(y);
      const float *up = stops.row(std::max(0, y - 1)), *up2 = stops.row(std::max(0, y - 2)),
                  *down = stops.row(std::min(h - 1, y + 1)),
                  *down2 = stops.row(std::min(h - 1, y + 2));
      float *sx = out.slope_x.row(y), *sy = out.slope_y.row(y);
      for (int x = 0; x < w; ++x) sy[x] = (8 * (down[x] - up[x]) - (down2[x] - up2[x])) / 12;
      for (int x = 0; x < w; ++x) {
        auto at = [&](int i) { return row[std::clamp(i, 0, w - 1)]; };
        sx[x] = (8 * (at(x + 1) - at(x - 1)) - (at(x + 2) - at(x - 2))) / 12;
      }
    }
  });
  out.stops = std::move(stops);
  return out;
}

SlopedFrame slope_frame(const Plane& stops, const Plane& known) {
  return with_slopes(smoothed(stops), all_known(known));
}

}  // namespace tsukimi
