// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/vessels.h"

#include <algorithm>
#include <cmath>

namespace tsukimi::sim {

std::vector<Vessel> vessels_at(double progress, double seconds, std::uint32_t seed) {
  std::vector<Vessel> out;
  const auto p = static_cast<float>(progress);
  // The ferry: in from the sea, at the quay for a while, out again.
  const float in = smoothstep(0.02f, 0.34f, p), away = smoothstep(0.56f, 0.86f, p);
  const float x = lerp(1.72f, 0.585f, in) + 1.15f * away * away;
  if (x < 1.70f)
    out.push_back({x, 0.6125f, 1.0f, true, away <= 0, {.085f, .125f, .165f}, {.60f, .59f, .56f}});
  const float positions[4][3] = {{0.43f, 0.668f, 0.80f},
                                 {0.93f, 0.652f, 0.66f},
                                 {1.16f, 0.700f, 0.95f},
                                 {0.66f, 0.737f, 1.15f}};
  const Rgb hulls[4] = {
      {.11f, .20f, .25f}, {.35f, .08f, .05f}, {.10f, .22f, .13f}, {.13f, .17f, .30f}};
  for (int i = 0; i < 4; ++i) {
    const float phase = unit_hash(i, 4, seed) * 6.28f;
    const float swing = 0.004f * std::sin(static_cast<float>(seconds) * 0.011f + phase);
    out.push_back({positions[i][0] + swing,
                   positions[i][1] + 0.0006f * std::sin(static_cast<float>(seconds) * 0.9f + phase),
                   positions[i][2],
                   false,
                   (i & 1) != 0,
                   hulls[i],
                   {.55f, .54f, .50f}});
  }
  return out;
}

float vessel_half_width(const Vessel& v) { return v.ferry ? 0.145f : 0.058f * v.scale; }
float vessel_height(const Vessel& v) { return v.ferry ? 0.098f : 0.085f * v.scale; }

namespace {

Surface ferry(const Vessel& v, float u, float h, float grain, Rgb& light) {
  Surface s;
  s.sky = 0.85f;
  s.sun = 0.42f;
  s.haze = 0.03f;
  const float bow = 0.125f + 0.016f * std::clamp(h / 0.026f, 0.0f, 1.0f), stern = -0.125f;
  if (h < 0.026f) {
    if (u < stern || u > bow) return s;
    s.cover = 1;
    s.albedo = v.hull * (0.8f + 0.4f * grain);
    if (h < 0.004f) s.albedo = Rgb{.20f, .045f, .03f};
    if (std::fabs(h - 0.0215f) < 0.0016f) s.albedo = v.upper;
    return s;
  }
  auto deck = [&](float from, float to, float low, float high, float pitch, float sill) {
    if (u < from || u > to || h < low || h > high) return false;
    s.cover = 1;
    s.albedo = v.upper * (0.82f + 0.3f * grain);
    if (high - h < 0.0012f) s.albedo = s.albedo * 0.6f;
    const float f = std::fmod(u + 1.0f, pitch) / pitch;
    if (f > 0.28f && f < 0.80f && h > low + sill && h < low + sill + 0.0058f && u > from + 0.004f &&
        u < to - 0.004f) {
      s.albedo = {.035f, .042f, .05f};
      light = Rgb{1.0f, 0.76f, 0.46f} * 0.030f;
    }
    return true;
  };
  if (deck(-0.108f, 0.088f, 0.026f, 0.041f, 0.0105f, 0.0052f)) return s;
  if (deck(-0.085f, 0.066f, 0.041f, 0.055f, 0.0105f, 0.0050f)) return s;
  if (deck(0.020f, 0.058f, 0.055f, 0.068f, 0.0090f, 0.0045f)) return s;
  const float funnel = (u + 0.034f + 0.10f * (h - 0.055f)) / 0.0125f;
  if (h > 0.055f && h < 0.079f && std::fabs(funnel) < 1) {
    s.cover = 1;
    s.albedo = h > 0.072f                       ? Rgb{.04f, .04f, .04f}
               : std::fabs(h - 0.065f) < 0.003f ? v.upper
                                                : Rgb{.42f, .09f, .05f};
    s.sun = 0.5f + 0.5f * funnel;
    return s;
  }
  if ((std::fabs(u - 0.036f) < 0.0009f && h < 0.093f) ||
      (std::fabs(u + 0.098f) < 0.0008f && h < 0.060f)) {
    s.cover = 1;
    s.albedo = {.3f, .3f, .29f};
    if (h > 0.0895f) light = Rgb{1.0f, 0.95f, 0.85f} * 0.12f;
  }
  return s;
}

Surface boat(const Vessel& v, float u, float h, float grain, Rgb& light) {
  Surface s;
  s.sky = 0.9f;
  s.sun = 0.45f;
  const float sheer = 0.0135f + 0.0095f * std::pow(std::max(u / 0.05f, 0.0f), 2.0f) +
                      0.004f * std::pow(std::max(-u / 0.05f, 0.0f), 2.0f);
  const float half = 0.046f + 0.30f * h * (u > 0 ? 1.0f : 0.3f);
  if (h < sheer && std::fabs(u) < half) {
    s.cover = 1;
    s.albedo = v.hull * (0.75f + 0.5f * grain);
    if (h < 0.0030f) s.albedo = Rgb{.16f, .05f, .035f};
    if (sheer - h < 0.0022f) s.albedo = v.upper;
    return s;
  }
  if (u > -0.030f && u < -0.004f && h < 0.036f && h > 0.01f) {  // wheelhouse
    s.cover = 1;
    s.albedo = v.upper * (0.8f + 0.3f * grain);
    if (h > 0.0335f) s.albedo = {.14f, .15f, .15f};
    const float f = std::fmod(u + 1.0f, 0.0085f) / 0.0085f;
    if (h > 0.024f && h < 0.031f && f > 0.2f && f < 0.8f) {
      s.albedo = {.04f, .045f, .05f};
      light = Rgb{1.0f, 0.7f, 0.4f} * 0.008f;
    }
    return s;
  }
  const bool mast = std::fabs(u - 0.006f) < 0.0009f && h < 0.080f && h > 0.01f;
  const float stay = std::fabs((u - 0.006f) - (0.078f - h) * 0.60f);
  const bool rigging =
      (stay < 0.0005f && h > sheer && u < 0.048f) ||
      (std::fabs(h - 0.030f - 0.5f * (u - 0.006f)) < 0.0010f && u > 0.006f && u < 0.040f);
  if (mast || rigging) {
    s.cover = mast ? 1 : 0.7f;
    s.albedo = {.20f, .16f, .12f};
    if (mast && h > 0.0775f) light = Rgb{1.0f, 0.9f, 0.75f} * 0.05f;
  }
  return s;
}

}  // namespace

Surface paint_vessel(const Vessel& v, float x, float y, Rgb& light) {
  light = {};
  float u = (x - v.x) / v.scale;
  if (v.facing_left) u = -u;
  const float h = (v.waterline - y) / v.scale;
  if (h < 0) return {};
  const float grain = fbm(x * 300, y * 500, 2, 17);
  return v.ferry ? ferry(v, u, h, grain, light) : boat(v, u, h, grain, light);
}

}  // namespace tsukimi::sim
