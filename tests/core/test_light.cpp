// SPDX-License-Identifier: GPL-3.0-or-later
// Levelling and deflicker on courses that are known exactly.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "adjust/auto_keys.h"
#include "base/banded.h"
#include "light/deflicker.h"
#include "light/level.h"
#include "measure/brightness.h"
#include "sim/noise.h"
#include "support.h"

namespace tsukimi {
namespace {

std::vector<double> axis(int n) {
  std::vector<double> a(n);
  std::iota(a.begin(), a.end(), 0.0);
  return a;
}

double noise(int i) {  // about normal, sigma 1
  double s = 0;
  for (int k = 0; k < 4; ++k) s += sim::unit_hash(i, k, 99);
  return (s - 2) * 1.732;
}

TEST(Banded, SolvesLikeElimination) {
  BandedSystem s(5, 2);
  const double a[5][5] = {
      {9, 1, 2, 0, 0}, {1, 8, 3, 1, 0}, {2, 3, 11, 2, 1}, {0, 1, 2, 7, 2}, {0, 0, 1, 2, 6}};
  for (int i = 0; i < 5; ++i)
    for (int j = 0; j <= i; ++j)
      if (i - j <= 2) s.add(i, j, a[i][j]);
  std::vector<double> want{1, -2, 3, 0.5, 2}, b(5, 0.0);
  for (int i = 0; i < 5; ++i)
    for (int j = 0; j < 5; ++j) b[i] += a[i][j] * want[j];
  s.factor();
  s.solve(b);
  for (int i = 0; i < 5; ++i) EXPECT_NEAR(b[i], want[i], 1e-10);
}

TEST(Whittaker, HalfAmplitudeAtThePeriod) {
  const int n = 400;
  std::vector<double> m(n), w(n, 1.0);
  for (const double period : {8.0, 24.0, 60.0}) {
    for (int i = 0; i < n; ++i) m[i] = std::sin(2 * std::numbers::pi * i / period);
    const auto g = whittaker(m, w, lambda_for_period(period), axis(n));
    double in = 0, out = 0;
    for (int i = 100; i < 300; ++i) in += m[i] * m[i], out += g[i] * m[i];
    EXPECT_NEAR(out / in, 0.5, 0.02) << period;
  }
}

TEST(Whittaker, AStraightLineOverAGapStaysStraight) {
  std::vector<double> x, m, w;
  for (int i = 0; i < 60; ++i) {
    x.push_back(i < 30 ? i : i + 25);
    m.push_back(0.1 * x.back());
    w.push_back(1);
  }
  const auto g = whittaker(m, w, lambda_for_period(40), x);
  for (int i = 0; i < 60; ++i) EXPECT_NEAR(g[i], m[i], 1e-6);
}

FrameInfo frame(double shutter, double iso, double aperture) {
  FrameInfo f;
  f.shutter = shutter, f.iso = iso, f.aperture = aperture;
  return f;
}

TEST(Gain, NominalNumbersStandForExactThirds) {
  EXPECT_NEAR(exact_gain(frame(1.0 / 60, 100, 5.6)), -6 - 5, 1e-9);
  EXPECT_NEAR(exact_gain(frame(1.0 / 13, 125, 5.6)), (-11 + 1) / 3.0 - 5, 1e-9);
  EXPECT_NEAR(exact_gain(frame(15, 3200, 22)), 4 + 5 - 9, 1e-9);
  EXPECT_NEAR(nominal_gain(frame(1.0 / 60, 100, 5.6)), std::log2(1 / (60 * 5.6 * 5.6)), 1e-9);
  // Not a third of a stop: taken as it stands.
  EXPECT_NEAR(exact_gain(frame(1.0 / 71, 100, 1)), std::log2(1.0 / 71), 1e-9);
}

// A dusk: light falls by 7 stops, shutter follows in thirds.
struct Dusk {
  std::vector<FrameInfo> frames;
  std::vector<double> gain, brightness, clipped;
  explicit Dusk(int n, double flicker) {
    int thirds = -18;
    for (int i = 0; i < n; ++i) {
      const double light = -7 * (0.5 - 0.5 * std::cos(std::numbers::pi * i / (n - 1)));
      while (-18 - 3 * light * 0.9 - thirds > 1) ++thirds;
      gain.push_back(thirds / 3.0);
      frames.push_back(frame(std::exp2(thirds / 3.0), 100, 1));
      brightness.push_back(light + gain.back() + 6 + flicker * noise(i));
      clipped.push_back(0);
    }
  }
  void set(int i, double shutter, double iso, double true_change) {
    frames[i].shutter *= shutter;
    frames[i].iso *= iso;
    brightness[i] += true_change;
    gain[i] += true_change;
  }
  // What is left of the stair after the correction, beyond something smooth.
  double left(const LevelResult& r) const {
    std::vector<double> rest(frames.size());
    for (std::size_t i = 0; i < rest.size(); ++i) rest[i] = r.correction[i] + gain[i];
    const auto smooth = whittaker(rest, std::vector<double>(rest.size(), 1.0),
                                  lambda_for_period(30), axis(static_cast<int>(rest.size())));
    for (std::size_t i = 0; i < rest.size(); ++i) rest[i] -= smooth[i];
    return test::rms(rest);
  }
  std::vector<std::size_t> steps() const {
    std::vector<std::size_t> out;
    for (std::size_t i = 1; i < gain.size(); ++i)
      if (gain[i] != gain[i - 1]) out.push_back(i);
    return out;
  }
  LevelResult run(double alpha = 0) const {
    return level(frames, axis(static_cast<int>(frames.size())), brightness, clipped, {true, alpha});
  }
};

TEST(Level, TakesTheStairOutUnderFlicker) {
  const Dusk d(160, 0.043);
  const auto r = d.run();
  EXPECT_GT(r.steps.size(), 15u);
  EXPECT_LT(d.left(r), 0.02);
  EXPECT_NEAR(r.scatter, 0.043, 0.02);
}

// What is chosen for a step is taken out there, and nowhere else.
TEST(Level, AStepIsTakenOutAsItIsChosen) {
  Dusk d(120, 0);
  for (std::size_t i = 0; i < d.frames.size(); ++i)
    d.frames[i].id = static_cast<FrameId>(200 - static_cast<int>(i));
  const auto with = [&](StepUse use, double stops) {
    LevelSettings settings{true, 0};
    settings.choices = {{d.frames[d.steps()[7]].id, use, stops}};
    return level(d.frames, axis(120), d.brightness, d.clipped, settings);
  };
  const auto as_measured = d.run();
  const std::size_t at = static_cast<std::size_t>(d.steps()[7]);
  const auto step_of = [&](const LevelResult& r) {
    return r.correction[at] - r.correction[at - 1] - as_measured.correction[at] +
           as_measured.correction[at - 1];
  };
  EXPECT_NEAR(as_measured.steps[7].taken, 1 / 3.0, 0.01);
  EXPECT_EQ(as_measured.steps[7].use, StepUse::measured);
  const auto ignored = with(StepUse::ignored, 0), by_hand = with(StepUse::by_hand, 0.6),
             nominal = with(StepUse::nominal, 0);
  EXPECT_EQ(ignored.steps[7].taken, 0);
  EXPECT_EQ(by_hand.steps[7].taken, 0.6);
  EXPECT_EQ(nominal.steps[7].taken, nominal.steps[7].nominal);
  EXPECT_EQ(ignored.steps[7].measured, as_measured.steps[7].measured);
  // The ramp goes another way then, slowly.
  EXPECT_NEAR(step_of(ignored), 1 / 3.0, 0.03);
  EXPECT_NEAR(step_of(by_hand), -(0.6 - 1 / 3.0), 0.03);
  EXPECT_NEAR(step_of(nominal), 0, 0.01);
  for (std::size_t other : d.steps()) {
    if (other == at) continue;
    EXPECT_NEAR(ignored.correction[other] - ignored.correction[other - 1],
                as_measured.correction[other] - as_measured.correction[other - 1], 0.03);
  }
}

TEST(Level, HandlesOfTheEveningAreMetAndRunSmoothly) {
  Dusk d(120, 0);
  for (std::size_t i = 0; i < d.frames.size(); ++i) d.frames[i].id = static_cast<FrameId>(i);
  LevelSettings settings{true, 0.3};
  settings.evening = {{FrameId{10}, 0.5}, {FrameId{60}, 0}, {FrameId{100}, -1.5}};
  const auto plain = d.run(0.3),
             bent = level(d.frames, axis(120), d.brightness, d.clipped, settings);
  const auto added = [&](std::size_t i) { return bent.correction[i] - plain.correction[i]; };
  for (const auto& [at, stops] :
       {std::pair{0, 0.5}, {10, 0.5}, {60, 0.0}, {100, -1.5}, {119, -1.5}})
    EXPECT_NEAR(added(static_cast<std::size_t>(at)), stops, 1e-9) << at;
  for (std::size_t i = 11; i <= 100; ++i) {
    EXPECT_LE(added(i), added(i - 1) + 1e-9) << "it overshoots nowhere";
    EXPECT_LT(added(i - 1) - added(i), 0.08);
  }
  settings.on = false;
  for (double c : level(d.frames, axis(120), d.brightness, d.clipped, settings).correction)
    EXPECT_EQ(c, 0);
}

TEST(Level, OffChangesNothing) {
  const Dusk d(80, 0.02);
  const auto r = level(d.frames, axis(80), d.brightness, d.clipped, {false, 0});
  for (double c : r.correction) EXPECT_EQ(c, 0);
}

TEST(Level, AlphaOneShowsTheLightAsItFell) {
  const Dusk d(120, 0);
  const auto held = d.run(0), fell = d.run(1);
  // With alpha 1 the corrected brightness falls by the whole 7 stops of light, with 0 it is held.
  const double drop0 =
      d.brightness[0] + held.correction[0] - d.brightness[119] - held.correction[119];
  const double drop1 =
      d.brightness[0] + fell.correction[0] - d.brightness[119] - fell.correction[119];
  EXPECT_NEAR(drop1, 7, 0.25);
  EXPECT_LT(drop0, 1.5);
}

// Following the light is counted from the first frame on: how bright the film begins stays.
TEST(Level, TheFirstFrameIsAsBrightHoweverMuchOfTheLightIsFollowed) {
  const Dusk d(120, 0);
  const double held = d.run(0).correction[0];
  for (double alpha : {0.3, 1.0}) EXPECT_NEAR(d.run(alpha).correction[0], held, 1e-9) << alpha;
}

TEST(Level, ATradeOfShutterForIsoIsNoStep) {
  Dusk d(120, 0.03);
  const double without = d.left(d.run());
  for (int i = 60; i < 120; ++i) d.set(i, 0.5, 2, 0);
  EXPECT_LT(d.left(d.run()), without + 0.006);
}

TEST(Level, ATradeRightAfterAStepBendsNothing) {
  Dusk d(500, 0);  // long plateaus: the ramp has room to bend
  const auto before = d.run();
  const int step = before.steps[before.steps.size() / 2].at;
  for (int i = step + 1; i < 500; ++i) d.set(i, 0.5, 2, 0);
  const auto r = d.run();
  for (int i = 0; i < 500; ++i) EXPECT_NEAR(r.correction[i], before.correction[i], 0.02) << i;
}

TEST(Level, ASingleWrongFrameComesOutRightAndBendsNothing) {
  Dusk d(120, 0.03);
  const auto before = d.run();
  d.set(50, 0.5, 1, -1);
  const auto r = d.run();
  EXPECT_NEAR(r.correction[50], 1 + before.correction[50], 0.06);
  for (int i = 40; i < 60; ++i) {
    if (i == 50) continue;
    EXPECT_NEAR(r.correction[i], before.correction[i], 0.02) << i;
  }
}

// What a frame does not tell is no 1 s, ISO 100, f/1.
TEST(Level, FramesThatDoNotTellTheirSettingAreMeasured) {
  for (const auto forget : {0, 1, 2}) {
    Dusk d(120, 0.03);
    const auto before = d.run();
    for (int i : {50, 80, 81, 82}) {
      if (forget == 0) d.frames[i].shutter = 0;
      if (forget == 1) d.frames[i].iso = 0;
      if (forget == 2) d.frames[i].aperture = d.frames[i].shutter = 0;
    }
    const auto r = d.run();
    for (int i = 40; i < 95; ++i) {
      const bool unknown = i == 50 || (i >= 80 && i <= 82);
      EXPECT_NEAR(r.correction[i], before.correction[i], unknown ? 0.15 : 0.02) << i;
    }
  }
  // Nothing changes when no frame tells it: a lens without contacts.
  Dusk d(120, 0.03);
  const auto before = d.run();
  for (auto& f : d.frames) f.aperture = 0;
  const auto r = d.run();
  for (int i = 0; i < 120; ++i) EXPECT_NEAR(r.correction[i], before.correction[i], 1e-9);
}

// Too dark to be measured, but the camera's gain is known: a step there is levelled too.
TEST(Level, StepsOfFramesThatCannotBeMeasured) {
  Dusk d(120, 0.02);
  const auto before = d.run();
  const int until = before.steps[2].at + 2;
  for (int i = 0; i < until; ++i) d.brightness[i] = NAN;
  const auto r = d.run();
  for (int i = 0; i < until; ++i) EXPECT_NEAR(r.correction[i], before.correction[i], 0.05) << i;
}

// The camera's hand slipped for two frames: they are lifted back, and nothing else moves.
TEST(Level, ASlipOfTwoFramesComesOutRightAndBendsNothing) {
  Dusk d(160, 0.02);
  const auto before = d.run();
  for (int i : {70, 71}) d.set(i, 0.25, 1, -2);
  const auto r = d.run();
  for (int i : {70, 71}) EXPECT_NEAR(r.correction[i], 2 + before.correction[i], 0.06);
  for (int i = 55; i < 90; ++i) {
    if (i == 70 || i == 71) continue;
    EXPECT_NEAR(r.correction[i], before.correction[i], 0.03) << i;
  }
}

TEST(Level, StepsThatGoBackAndForth) {
  Dusk d(120, 0.03);
  for (int i = 30; i < 90; ++i)
    if ((i / 3) % 2) d.set(i, std::exp2(1 / 3.0), 1, 1 / 3.0);
  EXPECT_LT(d.left(d.run()), 0.025);
}

TEST(Level, MissingBrightnessAndOutliersDoNoHarm) {
  Dusk d(140, 0.03);
  d.brightness[70] += 2;  // lightning
  d.brightness[71] = NAN;
  const auto r = d.run();
  EXPECT_LT(d.left(r), 0.025);
  EXPECT_LT(std::fabs(r.correction[70]), 0.35);  // lightning is not a camera step
}

TEST(Level, MarksDarkeningOfClippedFrames) {
  Dusk d(60, 0);
  for (double& c : d.clipped) c = 0.2;
  const auto r = d.run();
  ASSERT_FALSE(r.beyond_data.empty());
  for (int i : r.beyond_data) EXPECT_LT(r.correction[i], 0);
}

TEST(Deflicker, TakesFlickerOutAndLetsTheEveningFall) {
  const int n = 200;
  std::vector<double> m(n), flicker(n);
  for (int i = 0; i < n; ++i) {
    flicker[i] = 0.05 * noise(i);
    m[i] = -3.0 * i / n + flicker[i];
  }
  const auto r = deflicker(axis(n), m, {true, 30, 1, {}});
  std::vector<double> left(n);
  for (int i = 0; i < n; ++i) left[i] = flicker[i] + r.correction[i];
  EXPECT_LT(test::rms(test::fast_part(left)), 0.2 * test::rms(test::fast_part(flicker)));
  EXPECT_NEAR(m[0] + r.correction[0] - m[n - 1] - r.correction[n - 1], 3.0, 0.12);
  EXPECT_GT(r.before_percent, 2.5);
}

TEST(Deflicker, LightningDoesNotDragItsNeighboursAndTheLimitHolds) {
  const int n = 100;
  std::vector<double> m(n);
  for (int i = 0; i < n; ++i) m[i] = 0.02 * noise(i);
  const auto calm = deflicker(axis(n), m, {true, 24, 0.5, {}});
  m[50] += 3;
  const auto r = deflicker(axis(n), m, {true, 24, 0.5, {}});
  for (int i : {47, 48, 49, 51, 52, 53}) EXPECT_NEAR(r.correction[i], calm.correction[i], 0.01);
  EXPECT_DOUBLE_EQ(r.correction[50], -0.5);
  EXPECT_EQ(r.limited, std::vector<int>{50});
  EXPECT_EQ(r.largest_at, 50);
}

// A cloud before the sun is no flicker: a dip of many frames keeps as much of its depth as the
// smoother without any weights leaves it.
TEST(Deflicker, RealDipsStay) {
  const int n = 160;
  std::vector<double> m(n), dip(n);
  for (int i = 0; i < n; ++i) {
    const double t = (i - 70) / 15.0;
    dip[i] = t > 0 && t < 1 ? -0.5 * std::pow(std::sin(std::numbers::pi * t), 2) : 0;
    m[i] = dip[i] + 0.02 * noise(i);
  }
  const auto r = deflicker(axis(n), m, {true, 20, 1, {}});
  const auto plain = whittaker(m, std::vector<double>(n, 1.0), lambda_for_period(20), axis(n));
  double deepest = 0, deepest_plain = 0;
  for (int i = 0; i < n; ++i) {
    deepest = std::min(deepest, m[i] + r.correction[i]);
    deepest_plain = std::min(deepest_plain, plain[i]);
  }
  EXPECT_LT(deepest, -0.6 * 0.5);
  EXPECT_NEAR(deepest, deepest_plain, 0.05);
  // Single frames in the dip drop out all the same.
  for (int lone : {76, 77, 90}) {
    auto with = m;
    with[lone] += 1.5;
    const auto w = deflicker(axis(n), with, {true, 20, 2, {}});
    EXPECT_EQ(w.weight[lone], 0);
    for (int k : {lone - 2, lone - 1, lone + 1, lone + 2})
      EXPECT_NEAR(with[k] + w.correction[k], m[k] + r.correction[k], 0.05) << lone << " " << k;
  }
}

// Half an hour passes while the camera is away: the evening has fallen, and no frame is to blame.
TEST(Deflicker, AGapInTimeIsNoFlicker) {
  const int n = 120;
  std::vector<double> m(n), at(n);
  for (int i = 0; i < n; ++i) {
    at[i] = i + (i >= 60 ? 25 : 0);
    m[i] = -0.02 * at[i];
  }
  const auto r = deflicker(at, m, {true, 20, 1, {}});
  for (int i = 0; i < n; ++i) EXPECT_NEAR(r.correction[i], 0, 0.01) << i;
}

// In a calm sequence a frame that is two per cent off is an event like any other.
TEST(Deflicker, SmallEventsInACalmSequenceDropOut) {
  const int n = 120;
  std::vector<double> m(n);
  for (int i = 0; i < n; ++i) m[i] = 0.002 * noise(i);
  const auto calm = deflicker(axis(n), m, {true, 20, 1, {}});
  m[60] += 0.06;
  const auto r = deflicker(axis(n), m, {true, 20, 1, {}});
  EXPECT_EQ(r.weight[60], 0);
  for (int i : {57, 58, 59, 61, 62, 63})
    EXPECT_NEAR(r.correction[i], calm.correction[i], 0.002) << i;
}

TEST(Deflicker, OffOnlyMeasures) {
  std::vector<double> m(60);
  for (int i = 0; i < 60; ++i) m[i] = 0.04 * noise(i);
  const auto r = deflicker(axis(60), m, {false, 24, 1, {}});
  for (double c : r.correction) EXPECT_EQ(c, 0);
  EXPECT_GT(r.before_percent, 1);
}

TEST(Brightness, FollowsLightAndIgnoresClippedAndChangingParts) {
  std::vector<LightGrid> grids(30);
  std::vector<const LightGrid*> pointers;
  for (int i = 0; i < 30; ++i) {
    auto& g = grids[i];
    g.light.resize(LightGrid::kCells);
    g.clipped.assign(LightGrid::kCells, 0);
    for (int c = 0; c < LightGrid::kCells; ++c) {
      g.light[c] = 0.1f * (0.5f + sim::unit_hash(c, 1, 3)) * std::exp2(-0.05f * i);
      if (c < 600) g.light[c] = 1, g.clipped[c] = 255;  // a clipped lamp
      if (c > 5800 && i > 15) g.light[c] *= 4;          // windows light up
    }
    pointers.push_back(&g);
  }
  const auto m = measure_brightness(cell_light(pointers, {}));
  for (int i = 1; i < 30; ++i) EXPECT_NEAR(m[i] - m[0], -0.05 * i, 0.004) << i;
  pointers[10] = nullptr;
  const auto gap = measure_brightness(cell_light(pointers, {}));
  EXPECT_TRUE(std::isnan(gap[10]));
  EXPECT_NEAR(gap[20] - gap[0], -1.0, 0.004);
}

TEST(Brightness, OneCellSaysNothing) {
  std::vector<LightGrid> grids(12);
  std::vector<const LightGrid*> pointers;
  for (int i = 0; i < 12; ++i) {
    grids[i].light.assign(LightGrid::kCells, 0.1f);
    grids[i].clipped.assign(LightGrid::kCells, 0);
    if (i == 4 || i >= 9) std::fill(grids[i].light.begin() + 1, grids[i].light.end(), 0.0001f);
    pointers.push_back(&grids[i]);
  }
  const auto m = measure_brightness(cell_light(pointers, {}));
  for (int i = 0; i < 12; ++i)
    if (i == 4 || i >= 9)
      EXPECT_TRUE(std::isnan(m[i])) << i;
    else
      EXPECT_NEAR(m[i], std::log2(0.1), 1e-3) << i;
}

// Where the dark lies between, what comes after is measured by itself, not tied to nothing.
TEST(Brightness, PiecesThatHangTogetherHaveTheirOwnLevel) {
  std::vector<LightGrid> grids(30);
  std::vector<const LightGrid*> pointers;
  for (int i = 0; i < 30; ++i) {
    const bool dark = i >= 10 && i < 20;
    grids[i].light.assign(LightGrid::kCells, dark ? 0.0001f : i < 10 ? 0.2f : 0.05f);
    grids[i].clipped.assign(LightGrid::kCells, 0);
    pointers.push_back(&grids[i]);
  }
  const auto m = measure_brightness(cell_light(pointers, {}));
  EXPECT_NEAR(m[5], std::log2(0.2), 1e-3);
  EXPECT_TRUE(std::isnan(m[15]));
  EXPECT_NEAR(m[25], std::log2(0.05), 1e-3);
}

TEST(Brightness, ASteadyAreaLooksThereOnly) {
  const auto rectangle = [](double x, double y, double w, double h) {
    return std::vector<SteadyArea>{{AreaShape::rectangle, {x, y, w, h}, {}, false}};
  };
  std::vector<LightGrid> grids(2);
  for (int i = 0; i < 2; ++i) {
    grids[i].light.assign(LightGrid::kCells, 0.1f);
    grids[i].clipped.assign(LightGrid::kCells, 0);
  }
  for (int row = 0; row < LightGrid::kRows / 2; ++row)  // the upper half doubles
    for (int col = 0; col < LightGrid::kColumns; ++col)
      grids[1].light[row * LightGrid::kColumns + col] = 0.2f;
  const std::vector<const LightGrid*> p{&grids[0], &grids[1]};
  const auto above = measure_brightness(cell_light(p, rectangle(0.1, 0.05, 0.5, 0.4))),
             below = measure_brightness(cell_light(p, rectangle(0.1, 0.6, 0.5, 0.3)));
  EXPECT_NEAR(above[1] - above[0], 1, 1e-6);
  EXPECT_NEAR(below[1] - below[0], 0, 1e-6);
}

TEST(AutoKeys, EndsAndBends) {
  std::vector<double> curve(180);
  for (int i = 0; i < 180; ++i) curve[i] = i < 60 ? 0 : i < 130 ? -0.05 * (i - 60) : -3.5;
  const auto keys = place_keys(curve, 6, 0.2);
  ASSERT_EQ(keys.size(), 4u);
  EXPECT_EQ(keys.front(), 0);
  EXPECT_EQ(keys.back(), 179);
  EXPECT_NEAR(keys[1], 60, 4);
  EXPECT_NEAR(keys[2], 130, 4);
  EXPECT_EQ(place_keys(curve, 3, 0.0).size(), 3u);
  EXPECT_EQ(place_keys({1.0}, 6, 0.2), std::vector<int>{0});
}

}  // namespace
}  // namespace tsukimi
