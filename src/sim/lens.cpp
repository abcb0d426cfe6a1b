// SPDX-License-Identifier: GPL-3.0-or-later
// The simulated lens: what its profile says, done to the scene.
#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "image/bilinear.h"
#include "sim/camera.h"

namespace tsukimi::sim {
namespace {

constexpr double kDistortion = -0.022, kRed = 1.0012, kBlue = 0.9990;
constexpr double kVignetting[3] = {-0.32, 0.06, -0.04};

}  // namespace

Image through_lens(const Image& scene) {
  const int w = scene.width, h = scene.height;
  const double cx = (w - 1) / 2.0, cy = (h - 1) / 2.0, unit = std::min(w, h) / 2.0,
               corner = std::hypot(w, h) / 2.0;
  const double size[3] = {kRed, 1, kBlue};
  Image out(w, h);
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < w; ++x)
        for (int c = 0; c < 3; ++c) {
          // Fallen here: from the radius r of the scene with r (1 - k + k r^2) = here (Newton).
          const double dx = (x - cx) / size[c], dy = (y - cy) / size[c];
          const double here = std::hypot(dx, dy) / unit;
          double r = here;
          for (int i = 0; i < 6; ++i)
            r -= (r * (1 - kDistortion + kDistortion * r * r) - here) /
                 (1 - kDistortion + 3 * kDistortion * r * r);
          const double scale = here > 1e-9 ? r / here : 1;
          const double v2 = (std::pow(x - cx, 2) + std::pow(y - cy, 2)) / (corner * corner);
          const double light =
              1 + v2 * (kVignetting[0] + v2 * (kVignetting[1] + v2 * kVignetting[2]));
          out.planes[c].at(x, y) = static_cast<float>(light) *
                                   bilinear(scene.planes[c], cx + dx * scale, cy + dy * scale);
        }
  });
  return out;
}

}  // namespace tsukimi::sim
