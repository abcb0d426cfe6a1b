// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "adjust/interpolate.h"
#include "sim/scene.h"

namespace tsukimi::sim {
namespace {

struct Hour {
  float elevation;
  Rgb sun, zenith, horizon, glow;
};

// Light by the height of the sun.
constexpr Hour kHours[] = {
    {7.0f, {1.75f, 1.36f, .92f}, {.150f, .270f, .540f}, {.560f, .640f, .720f}, {1.10f, .86f, .52f}},
    {3.0f, {1.30f, .78f, .36f}, {.120f, .205f, .410f}, {.520f, .500f, .480f}, {1.35f, .78f, .34f}},
    {0.5f, {.52f, .21f, .065f}, {.075f, .125f, .270f}, {.330f, .270f, .270f}, {1.05f, .44f, .14f}},
    {-2.0f,
     {.012f, .003f, .001f},
     {.034f, .062f, .150f},
     {.130f, .110f, .140f},
     {.46f, .150f, .055f}},
    {-5.0f,
     {.0001f, .0001f, .0001f},
     {.0085f, .0170f, .0460f},
     {.030f, .031f, .050f},
     {.090f, .032f, .020f}},
    {-8.0f,
     {.0001f, .0001f, .0001f},
     {.0021f, .0040f, .0110f},
     {.0072f, .0080f, .0130f},
     {.0115f, .0062f, .0062f}},
    {-11.0f,
     {.0001f, .0001f, .0001f},
     {.0012f, .0018f, .0046f},
     {.0045f, .0046f, .0058f},
     {.0050f, .0044f, .0050f}},
};

// log2 of every colour over elevation, smooth, so that the light has no kinks.
struct Course {
  MonotoneCurve channel[12];
  Course() {
    std::vector<double> xs;
    for (int i = static_cast<int>(std::size(kHours)) - 1; i >= 0; --i)
      xs.push_back(kHours[i].elevation);
    for (int c = 0; c < 12; ++c) {
      std::vector<double> ys;
      for (int i = static_cast<int>(std::size(kHours)) - 1; i >= 0; --i) {
        const Rgb colours[4] = {kHours[i].sun, kHours[i].zenith, kHours[i].horizon, kHours[i].glow};
        const Rgb& rgb = colours[c / 3];
        ys.push_back(std::log2(c % 3 == 0 ? rgb.r : c % 3 == 1 ? rgb.g : rgb.b));
      }
      channel[c] = MonotoneCurve(xs, ys);
    }
  }
  Rgb at(int colour, float elevation) const {
    auto v = [&](int c) {
      return static_cast<float>(std::exp2(channel[3 * colour + c].at(elevation)));
    };
    return {v(0), v(1), v(2)};
  }
};

}  // namespace

Evening evening_at(double progress) {
  static const Course course;
  const float p = static_cast<float>(progress);
  Evening e;
  e.elevation = 6.0f - 17.0f * p;
  e.sun = course.at(0, e.elevation);
  e.zenith = course.at(1, e.elevation);
  e.horizon = course.at(2, e.elevation);
  e.glow = course.at(3, e.elevation);
  e.sky = e.zenith * 0.55f + e.horizon * 0.40f + e.glow * 0.12f;
  e.lamps = smoothstep(0.33f, 0.46f, p);
  e.tide = lerp(kHighWater + 0.002f, 0.594f, smoothstep(0.0f, 1.0f, p));
  return e;
}

}  // namespace tsukimi::sim
