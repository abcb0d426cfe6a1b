// SPDX-License-Identifier: GPL-3.0-or-later
// The whole measuring chain against the truth of a simulated shoot, on seeds not used while writing
// it.
#include <gtest/gtest.h>

#include "base/banded.h"
#include "film/film.h"
#include "sim/noise.h"
#include "support.h"

namespace tsukimi {
namespace {

using test::SmallShoot;

struct Measured {
  Shoot shoot;
  LightPlan plan;
};

Measured measure(const SmallShoot& s, const std::function<void(Decisions&)>& decide) {
  auto sequence = scan_folder(s.folder);
  EXPECT_TRUE(sequence);
  auto shoot = start_shoot(std::move(*sequence));
  EXPECT_TRUE(shoot);
  decide(shoot->decisions);
  ProxyStore store(s.folder);
  const auto grids = measure_light(*shoot, store);
  auto plan = plan_light(*shoot, grids);
  return {std::move(*shoot), std::move(plan)};
}

const SmallShoot& evening() {
  static const SmallShoot shoot([] {
    sim::CameraOptions c;
    c.frames = 160;
    c.seed = 41;
    return c;
  }());
  return shoot;
}

TEST(Simulated, LevellingLeavesLittleOfTheTrueSteps) {
  const auto m = measure(evening(), [](Decisions& d) { d.level.on = true; });
  const auto& t = evening().truth;
  // The stair that was found against the stair that was there.
  std::vector<double> error;
  for (std::size_t i = 0; i < t.size(); ++i)
    error.push_back(m.plan.level.stair[i] - t.true_gain[i]);
  EXPECT_LT(test::rms(error), 0.05);
  // And what the correction leaves of it, beyond its own smooth ramp.
  const auto axis = time_axis(m.shoot.sequence.frames);
  std::vector<double> left(t.size());
  for (std::size_t i = 0; i < t.size(); ++i) left[i] = m.plan.level_correction[i] + t.true_gain[i];
  const auto smooth =
      whittaker(left, std::vector<double>(t.size(), 1.0), lambda_for_period(24), axis);
  for (std::size_t i = 0; i < t.size(); ++i) left[i] -= smooth[i];
  EXPECT_LT(test::rms(left), 0.05);
  EXPECT_GT(test::rms(t.true_gain), 0.5);  // there was something to level
}

TEST(Simulated, DeflickerTakesFourFifthsAway) {
  const auto m = measure(evening(), [](Decisions& d) {
    d.level.on = true;
    d.deflicker.on = true;
    d.deflicker.period = 30;
  });
  const auto& t = evening().truth;
  std::vector<double> before, after;
  for (std::size_t i = 0; i < t.size(); ++i) {
    if (t.ruined[i] || t.wrong_setting[i]) continue;
    before.push_back(t.flicker[i]);
    after.push_back(t.flicker[i] + m.plan.flicker_correction[i]);
  }
  EXPECT_GT(test::rms(test::fast_part(before)), 0.03);
  EXPECT_LT(test::rms(test::fast_part(after)), 0.2 * test::rms(test::fast_part(before)));
}

// RMS of second differences / sqrt(6) of what is truly left, in per cent.
// (Not over the gap: what changes slowly changes more there.)
double truly_left(const test::Truth& t, const std::vector<double>& axis, const LightPlan& plan,
                  bool with_flicker) {
  double sum = 0;
  int n = 0;
  auto left = [&](std::size_t i) {
    return t.true_gain[i] + t.flicker[i] + plan.level_correction[i] +
           (with_flicker ? plan.flicker_correction[i] : 0);
  };
  for (std::size_t i = 1; i + 1 < t.size(); ++i) {
    bool good = true;
    for (std::size_t k : {i - 1, i, i + 1}) good &= !t.ruined[k] && !t.wrong_setting[k];
    if (!good || axis[i + 1] - axis[i - 1] > 3) continue;
    const double d = left(i - 1) - 2 * left(i) + left(i + 1);
    sum += d * d / 6, ++n;
  }
  return 100 * (std::exp2(std::sqrt(sum / n)) - 1);
}

// The figure that is shown is what is left in the pictures, whatever the estimate believes.
TEST(Simulated, WhatIsSaidToBeLeftIsLeft) {
  for (std::uint32_t seed : {41u, 977u}) {
    sim::CameraOptions c;
    c.frames = 160;
    c.seed = seed;
    c.wobble = false;
    const SmallShoot own(c, {600, 400});
    auto sequence = scan_folder(own.folder);
    auto shoot = start_shoot(std::move(*sequence));
    shoot->decisions.level.on = shoot->decisions.deflicker.on = true;
    ProxyStore store(own.folder);
    const auto grids = measure_light(*shoot, store);
    auto as_shot = light_as_shot(*shoot, grids);
    auto check = [&](const char* what) {
      const auto plan = plan_light(*shoot, grids, as_shot);
      const auto at = time_axis(shoot->sequence.frames);
      const double before = truly_left(own.truth, at, plan, false),
                   left = truly_left(own.truth, at, plan, true);
      EXPECT_NEAR(std::log(plan.left.before_median / before), 0, std::log(1.5))
          << what << " " << before << " " << plan.left.before_median;
      EXPECT_NEAR(std::log(plan.left.left_median / left), 0, std::log(1.5))
          << what << " " << left << " " << plan.left.left_median;
      EXPECT_LE(plan.left.left_median, plan.left.left_p90);
      return plan.left;
    };
    EXPECT_LT(check("a good estimate").worse_share, 0.1);
    // An estimate that errs by several per cent from frame to frame.
    for (std::size_t i = 0; i < as_shot.stops.size(); ++i)
      as_shot.stops[i] += 0.12 * (sim::unit_hash(static_cast<int>(i), 3, seed) - 0.5);
    EXPECT_GT(check("a bad estimate").left_median, 2);
    // One that makes most of the picture worse.
    for (std::size_t i = 0; i < as_shot.stops.size(); ++i)
      as_shot.stops[i] += 0.6 * (sim::unit_hash(static_cast<int>(i), 5, seed) - 0.5);
    // Then nothing is corrected.
    const auto wrong = plan_light(*shoot, grids, as_shot);
    EXPECT_TRUE(wrong.deflicker.held);
    EXPECT_LT(wrong.left.worse_share, 0.1);
    // But where somebody drew what counts: then it is said.
    shoot->decisions.deflicker.areas = {{}};
    EXPECT_GT(check("a wrong estimate").worse_share, 0.9);
  }
}

TEST(Simulated, ASteadyAreaMeasuresFlickerToo) {
  const auto m = measure(evening(), [](Decisions& d) {
    d.level.on = true;
    d.deflicker.on = true;
    d.deflicker.period = 30;
    // The houses and the quay wall.
    d.deflicker.areas = {{AreaShape::rectangle, {0.05, 0.50, 0.55, 0.08}, {}, false}};
  });
  const auto& t = evening().truth;
  std::vector<double> before, after;
  for (std::size_t i = 0; i < t.size() / 3; ++i) {  // before lamps and windows light up
    if (t.wrong_setting[i]) continue;
    before.push_back(t.flicker[i]);
    after.push_back(t.flicker[i] + m.plan.flicker_correction[i]);
  }
  EXPECT_LT(test::rms(test::fast_part(after)), 0.4 * test::rms(test::fast_part(before)));
}

TEST(Simulated, BrightnessAsShotIsLightTimesGainTimesFlicker) {
  const auto m = measure(evening(), [](Decisions&) {});
  const auto& t = evening().truth;
  std::vector<double> jump;
  for (std::size_t i = 1; i < t.size(); ++i) {
    if (t.ruined[i] || t.ruined[i - 1]) continue;
    jump.push_back(m.plan.as_shot[i] - m.plan.as_shot[i - 1] -
                   (t.light[i] + t.true_gain[i] + t.flicker[i] - t.light[i - 1] -
                    t.true_gain[i - 1] - t.flicker[i - 1]));
  }
  EXPECT_LT(test::rms(jump), 0.01);
}

TEST(Simulated, WithoutFlawsThereIsNothingToDo) {
  sim::CameraOptions c;
  c.frames = 160;
  c.seed = 8;
  c.steps = c.flicker = c.wrong_aperture = c.ruined = c.wobble = c.gap = false;
  const SmallShoot s(c);
  const auto m = measure(s, [](Decisions& d) { d.level.on = d.deflicker.on = true; });
  EXPECT_TRUE(m.plan.level.steps.empty());
  EXPECT_TRUE(m.shoot.sequence.gaps.empty());
  EXPECT_LT(m.plan.deflicker.before_percent, 1.0);
  for (double v : m.plan.level_correction) EXPECT_NEAR(v, 0, 1e-6);
}

TEST(Simulated, GapAndStepsAreFoundInTheMetadata) {
  const auto sequence = scan_folder(evening().folder);
  ASSERT_TRUE(sequence);
  EXPECT_EQ(sequence->frames.size(), 160u);
  EXPECT_NEAR(sequence->interval, 20, 0.05);
  ASSERT_EQ(sequence->gaps.size(), 1u);
  EXPECT_EQ(sequence->gaps[0].missing, 3);
  EXPECT_TRUE(sequence->gaps[0].in_numbering && sequence->gaps[0].in_time);
  const auto& t = evening().truth;
  std::size_t changes = 0;
  for (std::size_t i = 1; i < t.size(); ++i) changes += t.nominal_gain[i] != t.nominal_gain[i - 1];
  EXPECT_EQ(sequence->steps.size(), changes);
}

TEST(Simulated, TheSameSeedGivesTheSameBytesAndAnotherDoesNot) {
  sim::CameraOptions c;
  c.frames = 3;
  c.seed = 12;
  const SmallShoot a(c, {120, 80}), b(c, {120, 80});
  c.seed = 13;
  const SmallShoot other(c, {120, 80});
  auto bytes = [](const SmallShoot& s) {
    std::ifstream in(s.folder / "TSK_0413.dng", std::ios::binary);
    return std::string((std::istreambuf_iterator<char>(in)), {});
  };
  EXPECT_FALSE(bytes(a).empty());
  EXPECT_EQ(bytes(a), bytes(b));
  EXPECT_NE(bytes(a), bytes(other));
}

}  // namespace
}  // namespace tsukimi
