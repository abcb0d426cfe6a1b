// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong with single frames.
#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "sim/camera.h"
#include "sim/noise.h"

namespace tsukimi::sim {
namespace {

float headlights(float x, float y) {  // scene coordinates: the height is 1
  const float dx = x - 0.30f, dy = (y - 0.93f) * 1.4f;
  return 1.0f / (1 + 11 * (dx * dx + dy * dy));
}

// A car below or a flash from behind: overexposes whatever the setting.
void add_light(Image& image, float sensitivity, bool flash, float strength) {
  const float unit = 1.0f / image.height, ruin = strength / sensitivity;
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < image.width; ++x) {
        float &r = image.planes[0].at(x, y), &g = image.planes[1].at(x, y),
              &b = image.planes[2].at(x, y);
        const float near =
            flash ? 0.25f + 0.75f * y * unit * y * unit : headlights(x * unit, y * unit);
        const float glare = ruin * near * (0.6f + 2.5f * std::min(0.5f, g * sensitivity));
        r += (flash ? 5.0f : 6.0f) * glare, g += 5.2f * glare;
        b += (flash ? 5.6f : 3.6f) * glare;
      }
  });
}

// Somebody or something close to the lens: out of focus, dark.
void cover(Image& image, std::uint32_t seed) {
  const float h = image.height, w = image.width;
  const float cx = w * unit_hash(1, 2, seed), cy = h * (0.35f + 0.5f * unit_hash(2, 2, seed));
  const float rx = h * (0.18f + 0.22f * unit_hash(3, 2, seed)),
              ry = h * (0.25f + 0.35f * unit_hash(4, 2, seed));
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < image.width; ++x) {
        const float dx = (x - cx) / rx, dy = (y - cy) / ry, d = std::sqrt(dx * dx + dy * dy);
        const float open = std::clamp((d - 0.85f) / 0.3f, 0.0f, 1.0f);
        const float light = 0.06f + 0.94f * open * open * (3 - 2 * open);
        for (auto& p : image.planes) p.at(x, y) *= light;
      }
  });
}

void blur_rows(const Plane& in, Plane& out, const std::vector<float>& k, bool along_x) {
  const int r = static_cast<int>(k.size()) - 1;
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < in.width; ++x) {
        float sum = k[0] * in.at(x, y);
        for (int i = 1; i <= r; ++i)
          sum +=
              along_x
                  ? k[i] * (in.at(std::max(x - i, 0), y) + in.at(std::min(x + i, in.width - 1), y))
                  : k[i] *
                        (in.at(x, std::max(y - i, 0)) + in.at(x, std::min(y + i, in.height - 1)));
        out.at(x, y) = sum;
      }
  });
}

void blur(Image& image, double sigma) {
  std::vector<float> k(static_cast<std::size_t>(std::ceil(3 * sigma)) + 1);
  float total = 0;
  for (std::size_t i = 0; i < k.size(); ++i) {
    const double d = static_cast<double>(i) / sigma;
    k[i] = static_cast<float>(std::exp(-0.5 * d * d));
    total += i ? 2 * k[i] : k[i];
  }
  for (float& v : k) v /= total;
  Plane other(image.width, image.height);
  for (auto& p : image.planes) {
    blur_rows(p, other, k, true);
    blur_rows(other, p, k, false);
  }
}

}  // namespace

void plan_faults(const CameraOptions& o, Size size, std::vector<Shot>& shots) {
  constexpr Fault kinds[] = {Fault::blurred,    Fault::covered,  Fault::bumped,   Fault::flash,
                             Fault::headlights, Fault::aperture, Fault::truncated};
  const int n = static_cast<int>(shots.size());
  auto free = [&](int at) {
    for (int i = std::max(0, at - 3); i <= std::min(n - 1, at + 3); ++i)
      if (shots[i].fault != Fault::none || shots[i].bump) return false;
    return at > 0 && at < n - 1;
  };
  int made = 0;
  for (std::uint32_t attempt = 0; made < o.faults && attempt < 50u * o.faults; ++attempt) {
    const int at = static_cast<int>(unit_hash(attempt, 41, o.seed) * n);
    if (!free(at)) continue;
    Shot& s = shots[at];
    s.fault = kinds[made % std::size(kinds)];
    s.fault_seed = hash3(attempt, 42, o.seed);
    if (s.fault == Fault::aperture)
      s.aperture_thirds = unit_hash(1, 1, s.fault_seed) < 0.5 ? 12 : 18;
    if (s.fault == Fault::bumped) {
      const double way =
          std::max(3.5, size.height * (0.004 + 0.010 * unit_hash(2, 1, s.fault_seed)));
      const double angle = 6.2832 * unit_hash(3, 1, s.fault_seed);
      s.wobble_x += way * std::cos(angle);
      s.wobble_y += way * std::sin(angle);
    }
    ++made;
  }
}

Image with_fault(const Image& scene, const Shot& shot, double sensitivity) {
  Image out = scene;
  const auto gain = static_cast<float>(sensitivity);
  const float how = unit_hash(5, 1, shot.fault_seed);
  if (shot.fault == Fault::headlights) add_light(out, gain, false, 0.22f);
  if (shot.fault == Fault::flash) add_light(out, gain, true, 0.12f + 0.2f * how);
  if (shot.fault == Fault::covered) cover(out, shot.fault_seed);
  if (shot.fault == Fault::blurred) blur(out, std::max(1.3, scene.height * (0.0016 + 0.003 * how)));
  return out;
}

}  // namespace tsukimi::sim
