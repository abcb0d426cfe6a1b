// SPDX-License-Identifier: GPL-3.0-or-later
// Value noise for the procedural scene: cheap, smooth, the same on every machine.
#pragma once

#include <cmath>
#include <cstdint>

#include "image/fast_math.h"

namespace tsukimi::sim {

inline float unit_hash(int x, int y, std::uint32_t seed) {
  return static_cast<float>(
             hash3(static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y), seed) >> 8) *
         (1.0f / 16777216.0f);
}

// 0..1, one feature per unit.
inline float noise(float x, float y, std::uint32_t seed) {
  // floor() by hand: the baseline instruction set has none.
  int ix = static_cast<int>(x), iy = static_cast<int>(y);
  ix -= x < static_cast<float>(ix);
  iy -= y < static_cast<float>(iy);
  float u = x - static_cast<float>(ix), v = y - static_cast<float>(iy);
  u = smooth_step(u);
  v = smooth_step(v);
  const float a = unit_hash(ix, iy, seed), b = unit_hash(ix + 1, iy, seed),
              c = unit_hash(ix, iy + 1, seed), d = unit_hash(ix + 1, iy + 1, seed);
  return a + u * (b - a) + v * (c - a + u * (a - b - c + d));
}

// Sum of octaves, mean 0.5; each octave turned a little so that no grid shows.
inline float fbm(float x, float y, int octaves, std::uint32_t seed) {
  float sum = 0, weight = 0.5f, total = 0;
  for (int i = 0; i < octaves; ++i) {
    sum += weight * noise(x, y, seed + static_cast<std::uint32_t>(i) * 101u);
    total += weight;
    weight *= 0.5f;
    const float nx = 1.6f * x - 1.2f * y + 3.1f;
    y = 1.2f * x + 1.6f * y - 1.7f;
    x = nx;
  }
  return sum / total;
}

// Nearly normal: the sum of four uniform numbers, sigma 1.
inline float normal_from(std::uint32_t a, std::uint32_t b, std::uint32_t c) {
  const std::uint32_t h = hash3(a, b, c), g = hash3(h, a + 17u, b ^ 0x55u);
  const float sum = static_cast<float>((h & 0xFFFF) + (h >> 16) + (g & 0xFFFF) + (g >> 16));
  return (sum * (1.0f / 65536) - 2.0f) * 1.7320508f;
}

// From 0 at a to 1 at b; a may be the larger.
inline float smoothstep(float a, float b, float x) {
  const float s = (x - a) / (b - a), t = s <= 0 ? 0 : s >= 1 ? 1 : s;
  return smooth_step(t);
}

inline float lerp(float a, float b, float t) { return a + (b - a) * t; }

struct Rgb {
  float r = 0, g = 0, b = 0;
  Rgb operator*(float k) const { return {r * k, g * k, b * k}; }
  Rgb operator*(Rgb o) const { return {r * o.r, g * o.g, b * o.b}; }
  Rgb operator+(Rgb o) const { return {r + o.r, g + o.g, b + o.b}; }
};
inline Rgb lerp(Rgb a, Rgb b, float t) { return a + (b + a * -1) * t; }

}  // namespace tsukimi::sim
