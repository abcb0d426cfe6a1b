#include <cmath>

#include "sim/scene.h"

namespace tsukimi::sim {
namespace {

struct Hour {
  float elevation;
  Rgb sun, zenith, horizon, glow;
};

// Light by the height of the sun; between the rows it runs evenly in stops.
constexpr Hour kHours[] = {
    {7.0f, {1.75f, 1.36f, .92f}, {.150f, .270f, .540f}, {.560f, .640f, .720f}, {1.10f, .86f, .52f}},
    {3.0f, {1.30f, .78f, .36f}, {.120f, .205f, .410f}, {.520f, .500f, .480f}, {1.35f, .78f, .34f}},
    {0.5f, {.52f, .21f, .065f}, {.075f, .125f, .270f}, {.330f, .270f, .270f}, {1.05f, .44f, .14f}},
    {-2.0f, {.012f, .003f, .001f}, {.034f, .062f, .150f}, {.130f, .110f, .140f}, {.46f, .150f, .055f}},
    {-5.0f, {.0001f, .0001f, .0001f}, {.0085f, .0170f, .0460f}, {.030f, .031f, .050f}, {.090f, .032f, .020f}},
    {-8.0f, {.0001f, .0001f, .0001f}, {.0021f, .0040f, .0110f}, {.0072f, .0080f, .0130f}, {.0115f, .0062f, .0062f}},
    {-11.0f, {.0001f, .0001f, .0001f}, {.0012f, .0018f, .0046f}, {.0045f, .0046f, .0058f}, {.0050f, .0044f, .0050f}},
};

Rgb between(Rgb a, Rgb b, float t) {
  return {std::exp2(lerp(std::log2(a.r), std::log2(b.r), t)), std::exp2(lerp(std::log2(a.g), std::log2(b.g), t)),
          std::exp2(lerp(std::log2(a.b), std::log2(b.b), t))};
}

}  // namespace

Evening evening_at(double progress) {
  const float p = static_cast<float>(progress);
  Evening e;
  e.elevation = 6.0f - 17.0f * p;
  int i = 0;
  while (i + 2 < static_cast<int>(std::size(kHours)) && kHours[i + 1].elevation > e.elevation) ++i;
  const Hour &a = kHours[i], &b = kHours[i + 1];
  float t = (a.elevation - e.elevation) / (a.elevation - b.elevation);
  t = t < 0 ? 0 : t > 1 ? 1 : t;
  e.sun = between(a.sun, b.sun, t);
  e.zenith = between(a.zenith, b.zenith, t);
  e.horizon = between(a.horizon, b.horizon, t);
  e.glow = between(a.glow, b.glow, t);
  e.sky = e.zenith * 0.55f + e.horizon * 0.40f + e.glow * 0.12f;
  e.lamps = smoothstep(0.33f, 0.46f, p);
  e.tide = lerp(kHighWater + 0.002f, 0.594f, smoothstep(0.0f, 1.0f, p));
  return e;
}

}  // namespace tsukimi::sim
