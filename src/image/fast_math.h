// SPDX-License-Identifier: GPL-3.0-or-later
// Branch-free float maths that the compiler turns into SIMD. The same bits on every processor: only
// add, multiply, divide, square root and integer operations.
#pragma once

#include <bit>
#include <cstdint>

namespace tsukimi {

// log2 for x > 0 (smaller values count as 2^-126); error below 2e-6.
inline float fast_log2(float x) {
  x = x > 1.1754944e-38f ? x : 1.1754944e-38f;
  const auto bits = std::bit_cast<std::int32_t>(x);
  const std::int32_t shifted = bits - 0x3F3504F3;  // put the mantissa into [sqrt(1/2), sqrt(2))
  const std::int32_t exponent = shifted >> 23;
  const float m = std::bit_cast<float>((shifted & 0x007FFFFF) + 0x3F3504F3);
  const float t = (m - 1) / (m + 1), t2 = t * t;  // log2 m = 2/ln2 atanh t
  const float series = 2.88539008f + t2 * (0.96179669f + t2 * (0.57707802f + t2 * 0.41219859f));
  return static_cast<float>(exponent) + t * series;
}

// 2^x for -126 <= x <= 126 (clamped); relative error below 3e-7.
inline float fast_exp2(float x) {
  x = x < -126 ? -126 : x > 126 ? 126 : x;
  const float biased = x + 12582912.0f;  // rounds to the nearest integer
  const float n = biased - 12582912.0f;
  const float f = (x - n) * 0.69314718f;
  const float p =
      1 + f * (1 + f * (0.5f + f * (0.16666667f +
                                    f * (0.041666667f + f * (0.0083333333f + f * 0.0013888889f)))));
  const auto e = static_cast<std::int32_t>(n) + 127;
  return p * std::bit_cast<float>(e << 23);
}

// From 0 at t = 0 to `top` at 1, at rest at both ends (Hermite's cubic); t within 0..1.
template <typename T>
inline T smooth_step(T t, T top = 1) {
  return top * t * t * (3 - 2 * t);
}

// Cube root of any sign; relative error below 1e-6.
inline float fast_cbrt(float x) {
  const auto bits = std::bit_cast<std::int32_t>(x);
  const std::int32_t sign = bits & static_cast<std::int32_t>(0x80000000u),
                     magnitude = bits & 0x7FFFFFFF;
  const float a = std::bit_cast<float>(magnitude);
  float y = std::bit_cast<float>(
      static_cast<std::int32_t>(static_cast<float>(magnitude) * (1.0f / 3)) + 709921077);
  for (int i = 0; i < 2; ++i) {  // Halley
    const float y3 = y * y * y;
    y = y * (y3 + 2 * a) / (2 * y3 + a);
  }
  y = magnitude == 0 ? 0.0f : y;
  return std::bit_cast<float>(std::bit_cast<std::int32_t>(y) | sign);
}

// Hash of three integers to 32 well-mixed bits.
inline std::uint32_t hash3(std::uint32_t x, std::uint32_t y, std::uint32_t z) {
  std::uint32_t h =
      x * 0x9E3779B1u ^ (y + 0x7F4A7C15u) * 0x85EBCA77u ^ (z + 0x165667B1u) * 0xC2B2AE3Du;
  h ^= h >> 15;
  h *= 0x2C1B3C6Du;
  h ^= h >> 12;
  h *= 0x297A2D39u;
  h ^= h >> 15;
  return h;
}

}  // namespace tsukimi
