// SPDX-License-Identifier: GPL-3.0-or-later
// Flicker that is not one factor a frame, in cells whose light is known exactly.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "develop/recipe.h"
#include "light/find_steps.h"
#include "light/flicker.h"
#include "sim/noise.h"

namespace tsukimi {
namespace {

constexpr int kFrames = 64;
const double kTurn = 2 * std::numbers::pi;

double random(int a, int b) { return 2 * sim::unit_hash(a, b, 5) - 1; }

// Cells of an evening that gets darker, each a little noisy; extra: stops on top, of frame and
// place.
CellLight evening(const std::function<double(int, double, double)>& extra) {
  CellLight out;
  out.frames = kFrames;
  out.counts.assign(CellLight::kCells, 1);
  for (int f = 0; f < kFrames; ++f)
    for (int c = 0; c < CellLight::kCells; ++c)
      out.stops.push_back(static_cast<float>(-3 - 0.02 * f + 0.5 * random(c, -1) +
                                             0.004 * random(f, c) +
                                             extra(f, CellLight::x_of(c), CellLight::y_of(c))));
  return out;
}

Flicker found(const CellLight& cells, Uneven uneven = Uneven::automatic) {
  std::vector<double> axis, stair(kFrames, 0.0);
  for (int f = 0; f < kFrames; ++f) axis.push_back(f);
  return find_flicker(cells, axis, stair, uneven);
}

// What the shapes have at a place in a frame.
double at(const Flicker& flicker, int f, double x, double y) {
  double out = 0;
  for (const FlickerShape& shape : flicker.shapes)
    out += shape.amounts[f] * shape.field.stops_at(x, y);
  return out;
}

// What a frame has beyond the two beside it: what is slower is the cells' own.
double apart(const std::function<double(int)>& course, int f) {
  return course(f) - 0.5 * (course(f - 1) + course(f + 1));
}

// A ship's lamps on a good part of the picture for a few frames bend no cell's own course, and so
// not what is said of the frames before and after.
TEST(Uneven, WhatStandsOutForAFewFramesSaysNothingOfThoseBeside) {
  constexpr int kFirst = 30, kLast = 33;
  const auto factor = [](int f) { return 0.03 * random(f, -7); };
  const Flicker flicker = found(evening([&](int f, double x, double) {
    return factor(f) + (x < 0.4 && f >= kFirst && f <= kLast ? 1.5 : 0);
  }));
  double worst = 0;
  for (int f = kFirst - 8; f <= kLast + 8; ++f)
    worst =
        std::max(worst, std::fabs(apart([&](int g) { return flicker.course[g] - factor(g); }, f)));
  EXPECT_LT(worst, 0.003) << "stops";
}

// Finer than cells show it whole: what a cell has of it is its mean.
TEST(Uneven, FineBandsHaveTheirWholeSizeWhicheverWayTheyRun) {
  for (const bool across : {false, true}) {
    constexpr double kCycles = 9.13, kSize = 0.05;
    auto band = [&](int f, double t) {
      return kSize * std::sin(kTurn * (kCycles * t + sim::unit_hash(f, 3, 9)));
    };
    const double half =
        std::numbers::pi * kCycles / (across ? CellLight::kAcross : CellLight::kDown);
    const Flicker flicker = found(evening([&](int f, double x, double y) {
      return band(f, across ? x : y) * std::sin(half) / half + 0.03 * random(f, -7);
    }));
    ASSERT_EQ(flicker.shapes.size(), 2u);
    EXPECT_EQ(flicker.shapes[0].kind, FlickerKind::bands);
    EXPECT_EQ(flicker.shapes[0].field.wave.across, across);
    EXPECT_NEAR(flicker.shapes[0].field.wave.cycles, kCycles, 0.015);
    for (int f = 5; f < kFrames; f += 9)
      for (double t = 0.05; t < 1; t += 0.1)
        EXPECT_NEAR(
            apart([&](int g) { return at(flicker, g, across ? t : 0.4, across ? 0.4 : t); }, f),
            apart([&](int g) { return band(g, t); }, f), 0.003)
            << across << " " << f << " " << t;
  }
}

TEST(Uneven, APatternThatStandsIsAPartAndOneFactorIsNone) {
  auto shade = [](double x, double y) { return std::exp(-8 * (x * x + y * y)); };
  const Flicker corner = found(evening([&](int f, double x, double y) {
    return 0.06 * random(f, -3) * shade(x, y) + 0.04 * random(f, -4);
  }));
  ASSERT_EQ(corner.shapes.size(), 1u);
  EXPECT_EQ(corner.shapes[0].kind, FlickerKind::part);
  // Up to what the factor of the frame has of it.
  for (int f = 5; f < kFrames; f += 9)
    EXPECT_NEAR(
        apart([&](int g) { return at(corner, g, 0.05, 0.05) - at(corner, g, 0.9, 0.9); }, f),
        apart([](int g) { return 0.06 * random(g, -3); }, f) *
            (shade(0.05, 0.05) - shade(0.9, 0.9)),
        0.003);
  const Flicker even = found(evening([](int f, double, double) { return 0.04 * random(f, -4); }));
  EXPECT_TRUE(even.shapes.empty());
  EXPECT_TRUE(
      found(evening([&](int f, double x, double y) { return 0.06 * random(f, -3) * shade(x, y); }),
            Uneven::off)
          .shapes.empty());
}

// What goes on from frame to frame is light; faint flicker is only taken by whoever asks for it.
TEST(Uneven, WhatDriftsStaysAndWhatIsFaintWaits) {
  std::vector<double> shadow{0};  // goes over one side, and three quarters of it stay
  for (int f = 1; f < kFrames; ++f) shadow.push_back(0.75 * shadow.back() + 0.06 * random(f, -3));
  const auto drifting =
      evening([&](int f, double x, double) { return shadow[static_cast<std::size_t>(f)] * x; });
  EXPECT_TRUE(found(drifting).shapes.empty());
  const auto faint = evening([](int f, double x, double) { return 0.008 * random(f, -3) * x; });
  EXPECT_TRUE(found(faint).shapes.empty());
  EXPECT_FALSE(found(faint, Uneven::on).shapes.empty());
}

// A lone frame of another pattern is an event: nothing of it is taken out.
TEST(Uneven, AnEventStaysAsItIs) {
  const Flicker flicker = found(evening(
      [](int f, double x, double) { return (f == 30 ? 0.9 : 0.04 * random(f, -3)) * (1 - x); }));
  ASSERT_EQ(flicker.shapes.size(), 1u);
  EXPECT_EQ(flicker.shapes[0].amounts[30], 0);
}

TEST(Uneven, ShapesAreTakenOutOfTheCellsThatTheyAreIn) {
  CellLight cells = evening([](int f, double x, double) { return 0.05 * random(f, -3) * x; });
  const Flicker flicker = found(cells);
  ASSERT_EQ(flicker.shapes.size(), 1u);
  remove_shapes(cells, flicker.shapes);
  EXPECT_TRUE(found(cells).shapes.empty());
}

TEST(Uneven, ARecipeTellsEveryPartOfAField) {
  PictureRecipe plain;
  plain.look = neutral_look(5600, 0);
  std::set<std::string> texts{text_of(plain)};
  auto with = [&](const GainField& field) {
    PictureRecipe r = plain;
    r.light.field = field;
    return texts.insert(text_of(r)).second;
  };
  EXPECT_TRUE(with({2, 1, {0.1, 0.2}, {}}));
  EXPECT_TRUE(with({1, 2, {0.1, 0.2}, {}}));
  EXPECT_TRUE(with({2, 1, {0.1, 0.2}, {false, 2, 0.1, 0}}));
  EXPECT_TRUE(with({0, 0, {}, {false, 2, 0.1, 0}}));
  EXPECT_TRUE(with({0, 0, {}, {true, 2, 0.1, 0}}));
  EXPECT_TRUE(with({0, 0, {}, {false, 2.5, 0.1, 0}}));
  EXPECT_TRUE(with({0, 0, {}, {false, 2, 0.2, 0}}));
  EXPECT_TRUE(with({0, 0, {}, {false, 2, 0.1, 0.3}}));
}

// Steps in a light that bends, by flicker and with frames that are not known or stand alone.
TEST(FindSteps, EveryStepIsFoundAndNoOther) {
  std::vector<double> axis, light, stair;
  double gain = 0;
  for (int i = 0; i < 90; ++i) {
    if (i % 9 == 8) gain += i % 2 ? 1 : 1.0 / 3;
    if (i == 60) gain -= 5.0 / 3;
    stair.push_back(gain);
    axis.push_back(i < 40 ? i : i + 3);  // a gap
    light.push_back(-0.03 * axis[i] - 0.4 * std::sin(axis[i] / 25) + gain + 0.03 * random(i, 2));
  }
  light[20] = std::numeric_limits<double>::quiet_NaN();
  light[33] += 1.2;
  const auto found = find_steps(axis, light);
  for (int i = 0; i < 90; ++i) EXPECT_NEAR(found[i], stair[i], 1e-9) << i;
  // None at all.
  for (int i = 0; i < 90; ++i) light[i] = -0.03 * axis[i] + 0.2 * random(i, 2);
  for (double v : find_steps(axis, light)) EXPECT_EQ(v, 0);
  EXPECT_TRUE(find_steps({}, {}).empty());
}

}  // namespace
}  // namespace tsukimi
