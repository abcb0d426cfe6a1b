// SPDX-License-Identifier: GPL-3.0-or-later
// What lies on the sensor, told from the scene by the tripod's movement: shifts against the truth,
// a shadow that stands still against one that goes with the scene.
#include <gtest/gtest.h>

#include <random>

#include "core/waves.h"
#include "find_repairs/dust_slopes.h"
#include "motion/fixed_pattern.h"

namespace tsukimi {
namespace {

constexpr int kWidth = 200, kHeight = 150, kFrames = 50;
constexpr double kSensorX = 60.3, kSensorY = 70.2, kSceneX = 130.6, kSceneY = 80.4, kRadius = 3,
                 kStrength = 0.2;

// A structured scene that a tripod lets wobble, with a spot of dust and a dark spot of its own.
struct Shots {
  std::vector<SlopedFrame> frames;
  std::vector<Shift> places;

  explicit Shots(double wobble, double noise = 0) {
    std::mt19937 random(7);
    std::normal_distribution<double> normal;
    const test::Waves waves;
    auto shadow = [](double dx, double dy) {
      return std::log2(1 - kStrength * std::exp(-(dx * dx + dy * dy) / (kRadius * kRadius)));
    };
    for (int k = 0; k < kFrames; ++k) {
      const Shift at{wobble * normal(random), wobble * normal(random)};
      Plane stops(kWidth, kHeight), known(kWidth, kHeight);
      for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) {
          const double sx = x + 0.5 + at.dx, sy = y + 0.5 + at.dy;
          double v = shadow(x + 0.5 - kSensorX, y + 0.5 - kSensorY) +
                     shadow(sx - kSceneX, sy - kSceneY) + noise * normal(random) +
                     waves.stops(sx, sy);
          stops.at(x, y) = static_cast<float>(v);
          known.at(x, y) = 1;
        }
      frames.push_back(slope_frame(stops, known));
      places.push_back(at);
    }
  }

  FixedSlopes slopes() const {
    FixedPattern pattern(kWidth, kHeight);
    for (std::size_t k = 1; k + 1 < frames.size(); ++k) {
      const auto back = measure_similarity(frames[k], frames[k - 1], {}, true).move,
                 on = measure_similarity(frames[k], frames[k + 1], {}, true).move;
      pattern.add(frames[k - 1], frames[k], frames[k + 1], {back.dx, back.dy}, {on.dx, on.dy});
    }
    return pattern.slopes();
  }
};

TEST(FixedPattern, ShiftsAreFoundToAThousandthOfAPixel) {
  const Shots shots(0.4);
  for (std::size_t k = 1; k < shots.frames.size(); ++k) {
    const auto found = measure_similarity(shots.frames[k - 1], shots.frames[k], {}, true);
    ASSERT_TRUE(found.known);
    // Content lies where the frame does not look any more.
    EXPECT_NEAR(found.move.dx, shots.places[k - 1].dx - shots.places[k].dx, 0.002) << k;
    EXPECT_NEAR(found.move.dy, shots.places[k - 1].dy - shots.places[k].dy, 0.002) << k;
  }
}

TEST(FixedPattern, WhatStandsStillIsToldFromTheScene) {
  const FixedSlopes slopes = Shots(0.3).slopes();
  EXPECT_NEAR(slopes.wobble, 0.3, 0.1);
  const ShadowFit found = refined(slopes, {kSensorX + 0.5, kSensorY - 0.4, 2.5, 0.1, 0, 0});
  EXPECT_NEAR(found.x, kSensorX, 0.06);
  EXPECT_NEAR(found.y, kSensorY, 0.06);
  EXPECT_NEAR(found.radius, kRadius, 0.06);
  EXPECT_NEAR(found.strength, kStrength, 0.004);
  const Share sensor = borne_out(slopes, {kSensorX, kSensorY, kRadius, kStrength, 0, 0}),
              scene = borne_out(slopes, {kSceneX, kSceneY, kRadius, kStrength, 0, 0});
  EXPECT_NEAR(sensor.share, 1, 0.02);
  EXPECT_NEAR(scene.share, 0, 0.02) << "a dark spot that goes with the scene is no dust";
  const Plane stops = stops_of(slopes);
  EXPECT_NEAR(stops.at(60, 70) - stops.at(75, 70), std::log2(1 - kStrength), 0.12);
  EXPECT_NEAR(stops.at(130, 80) - stops.at(145, 80), 0, 0.02);
}

TEST(FixedPattern, ATripodOnRockTellsNothing) {
  const FixedSlopes still = Shots(0, 0.01).slopes(), moved = Shots(0.3, 0.01).slopes();
  const ShadowFit spot{kSensorX, kSensorY, kRadius, kStrength, 0, 0};
  EXPECT_GT(borne_out(still, spot).doubt, 0.4);
  EXPECT_LT(borne_out(moved, spot).doubt, 0.1) << "and a little movement does";
}

}  // namespace
}  // namespace tsukimi
