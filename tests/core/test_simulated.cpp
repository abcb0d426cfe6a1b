// The whole measuring chain against the truth of a simulated shoot, on seeds not used while writing
// it.
#include <gtest/gtest.h>

#include "light/banded.h"
#include "shoot/film.h"
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

TEST(Simulated, ASteadyAreaMeasuresFlickerToo) {
  const auto m = measure(evening(), [](Decisions& d) {
    d.level.on = true;
    d.deflicker.on = true;
    d.deflicker.period = 30;
    d.deflicker.steady_area = Rect{0.05, 0.50, 0.55, 0.08};  // the houses and the quay wall
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
