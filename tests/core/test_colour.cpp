// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "camera/camera_colour.h"
#include "image/fast_math.h"
#include "sim/camera.h"

namespace tsukimi {
namespace {

TEST(Colour, KnownLights) {
  // CIE 015: D65 lies at 6504 K on the daylight locus, D50 at 5003 K; A is a Planckian radiator of
  // 2856 K.
  const auto d65 = light_chromaticity(6504, 0), d50 = light_chromaticity(5003, 0),
             a = light_chromaticity(2856, 0);
  EXPECT_NEAR(d65.x, 0.3127, 5e-4);
  EXPECT_NEAR(d65.y, 0.3291, 5e-4);
  EXPECT_NEAR(d50.x, 0.3457, 5e-4);
  EXPECT_NEAR(d50.y, 0.3587, 6e-4);
  EXPECT_NEAR(a.x, 0.4476, 6e-4);
  EXPECT_NEAR(a.y, 0.4075, 6e-4);
}

TEST(Colour, TemperatureAndTintComeBack) {
  for (double kelvin : {2200.0, 3200.0, 4500.0, 5600.0, 8000.0, 14000.0})
    for (double tint : {-40.0, 0.0, 25.0}) {
      const auto back = temperature_of(light_chromaticity(kelvin, tint));
      EXPECT_NEAR(1e6 / back.kelvin, 1e6 / kelvin, 0.6) << kelvin << " " << tint;
      EXPECT_NEAR(back.tint, tint, 0.6) << kelvin << " " << tint;
    }
}

TEST(Colour, BradfordMovesWhiteToWhite) {
  const Chromaticity from = light_chromaticity(3000, 0), to;
  const Vec3 moved = bradford(from, to) * to_xyz(from), want = to_xyz(to);
  for (int i = 0; i < 3; ++i) EXPECT_NEAR(moved[i], want[i], 1e-9);
}

TEST(Colour, Rec2020MatricesKeepWhiteAndInvert) {
  const Vec3 white = rec2020_to_srgb() * Vec3{1, 1, 1};
  for (double v : white) EXPECT_NEAR(v, 1, 1e-9);
  const Mat3 one = rec2020_to_srgb() * srgb_to_rec2020();
  for (int i = 0; i < 9; ++i) EXPECT_NEAR(one.m[i], i % 4 == 0 ? 1 : 0, 1e-9);
}

TEST(Colour, AsShotTemperatureOfTheSimulatedCamera) {
  const auto t = as_shot_temperature(sim::camera_colour());
  EXPECT_NEAR(t.kelvin, 5600, 15);
  EXPECT_NEAR(t.tint, 0, 0.5);
}

TEST(Colour, NeutralStaysNeutralAtEveryTemperature) {
  const auto& camera = sim::camera_colour();
  for (double kelvin : {2500.0, 4000.0, 5600.0, 9000.0}) {
    const auto wb = white_balance(camera, kelvin, 10);
    EXPECT_FLOAT_EQ(wb.gains[1], 1);
    const Vec3 white = wb.to_working * Vec3{1, 1, 1};
    for (double v : white) EXPECT_NEAR(v, 1, 1e-6) << kelvin;
  }
}

TEST(FastMath, StaysCloseToTheLibrary) {
  for (float x = 1e-6f; x < 100; x *= 1.37f) {
    EXPECT_NEAR(fast_log2(x), std::log2(x), 4e-6);
    EXPECT_NEAR(fast_cbrt(x) / std::cbrt(x), 1, 2e-6);
    EXPECT_NEAR(fast_cbrt(-x) / std::cbrt(x), -1, 2e-6);
  }
  EXPECT_EQ(fast_cbrt(0), 0);
  for (float x = -20; x < 20; x += 0.37f) EXPECT_NEAR(fast_exp2(x) / std::exp2(x), 1, 2e-6);
}

}  // namespace
}  // namespace tsukimi
