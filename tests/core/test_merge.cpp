// SPDX-License-Identifier: GPL-3.0-or-later
// Merged shots against the light that they were made from.
#include "camera/merge.h"

#include "camera/moment.h"
#include "film/film.h"
#include "film/merge_plan.h"
#include "folder/sequence.h"
#include "photographs.h"
#include "sim/noise.h"

namespace tsukimi {
namespace {

constexpr int kWide = 960, kHigh = 640;
constexpr double kWell = 50000, kRead = 3.5;

// Light from 14 stops below the middle shot's clipping on the left to 3 above it on the right, in
// steps of 10 columns, so that every step has enough pixels.
double stops_at(int x) { return -14 + 17.0 * (x / 10) / (kWide / 10 - 1.0); }

SensorFrame shot(std::uint32_t seed, double true_stops) {
  SensorFrame out;
  Mosaic& m = out.mosaic;
  m.width = kWide, m.height = kHigh;
  m.black = {500, 500, 500, 500};
  for (float& s : m.scale) s = 1.0f / 15500;
  m.stride = kWide;
  auto numbers = std::make_shared<std::vector<std::uint16_t>>(kWide * kHigh);
  for (int y = 0; y < kHigh; ++y)
    for (int x = 0; x < kWide; ++x) {
      const double light = std::exp2(stops_at(x) + true_stops), electrons = light * kWell;
      const double noise =
          std::sqrt(electrons + kRead * kRead) / kWell *
          sim::normal_from(static_cast<std::uint32_t>(x), static_cast<std::uint32_t>(y), seed);
      (*numbers)[static_cast<std::size_t>(y) * kWide + x] =
          static_cast<std::uint16_t>(std::clamp(500 + (light + noise) * 15500 + 0.5, 0.0, 16000.0));
    }
  m.numbers = std::shared_ptr<const std::uint16_t>(numbers, numbers->data());
  return out;
}

// Mean and deviation of a step, of light in the middle shot's units.
struct Step {
  double mean = 0, deviation = 0;
};
Step step_of(const SensorFrame& frame, int step) {
  double sum = 0, squares = 0;
  int n = 0;
  for (int y = 8; y < kHigh - 8; ++y)
    for (int x = 10 * step + 3; x < 10 * step + 7; ++x) {
      const double v = frame.mosaic.light(x, y) * std::exp2(frame.headroom);
      sum += v, squares += v * v, ++n;
    }
  return {sum / n, std::sqrt(std::max(0.0, squares / n - sum / n * sum / n))};
}

TEST(Merge, IsTheLightWhereverAShotKnowsItAndReachesFarther) {
  const std::vector<std::vector<double>> sets{{0, -2, 2}, {0, -2.6, -1.3, 1.3, 2.6}};
  for (const auto& stops : sets) {
    std::vector<MergeShot> shots;
    for (std::size_t k = 0; k < stops.size(); ++k)
      shots.push_back({shot(static_cast<std::uint32_t>(k + 1), stops[k]), stops[k], 100});
    const SensorFrame single = shots[0].frame;
    const SensorFrame merged = merge(std::move(shots));
    const double up = *std::ranges::max_element(stops);
    EXPECT_NEAR(merged.headroom, up, 1e-9);
    double single_dark = 0, merged_dark = 0;  // the darkest step in which noise is a fifth of light
    for (int s = kWide / 10 - 1; s >= 0; --s) {
      const double truth = std::exp2(stops_at(10 * s));
      const Step a = step_of(single, s), b = step_of(merged, s);
      if (stops_at(10 * s) < up - 0.15) {
        EXPECT_NEAR(b.mean / truth, 1, 0.002 + 6e-6 / truth) << stops_at(10 * s);
      }
      if (a.deviation < 0.2 * truth) single_dark = stops_at(10 * s);
      if (b.deviation < 0.2 * truth) merged_dark = stops_at(10 * s);
      if (stops_at(10 * s) < -0.5) {
        EXPECT_LT(b.deviation, 1.02 * a.deviation) << stops_at(10 * s);
      }
    }
    EXPECT_GT(up + single_dark - merged_dark, 3.5) << "stops more";
  }
}

TEST(Merge, SaysByHowMuchShotsReallyDiffer) {
  std::vector<MergeShot> shots;
  for (const auto& [stops, really] : {std::pair{0.0, 0.0}, {-2.0, -1.957}, {2.0, 2.03}})
    shots.push_back({shot(7, really), stops, 100});
  const auto measured = measure_stops(shots);
  ASSERT_EQ(measured.size(), 2u);
  EXPECT_NEAR(measured[0], -1.957, 0.002);
  EXPECT_NEAR(measured[1], 2.03, 0.002);
}

TEST(Merge, RefusesShotsOfAnotherSize) {
  SensorFrame a = shot(1, 0), b = a;
  EXPECT_TRUE(check_mergeable(a, b));
  b.mosaic.width /= 2;
  const auto no = check_mergeable(a, b);
  ASSERT_FALSE(no);
  EXPECT_EQ(no.error().message, "is 480×640, the frame it belongs to is 960×640");
}

// Photographs as texture, every shutter off by some per cent and flickering by itself: merged the
// frames are as steady as the single shots are.
TEST(Merge, FramesAreAsSteadyAsTheirSingleShots) {
  sim::SimulateOptions o = test::plain_evening(30, 8801, {480, 320});
  o.camera.wobble = o.camera.hot_pixels = false;
  o.camera.bracket = 3;
  o.camera.step_error = 0.04;
  o.camera.from = 0.35, o.camera.to = 0.5;
  sim::PhotoOptions photos;
  photos.shade = 0;
  const test::PhotoShoot shots("FallenLeaf", "BytheWater", o, photos);
  const auto scan = *read_folder(shots.folder);
  const auto left = [&](const Bracketing& how) {
    Shoot shoot = *start_shoot(make_sequence(scan, {}, how));
    EXPECT_EQ(shoot.frame_count(), 30);
    shoot.decisions.level.on = shoot.decisions.deflicker.on = true;
    shoot.decisions.deflicker.period = 20;
    ProxyStore store(shots.folder);
    const auto grids = measure_light(shoot, store);
    return plan_light(shoot, grids).left.left_median;
  };
  Bracketing how = find_brackets(scan.frames);
  ASSERT_EQ(how.set_size, 3);
  const double merged = left(how);
  how.exposure = 2;
  EXPECT_LT(merged, left(how) + 0.05) << "per cent";
}

// A bright thing that stands elsewhere in each shot: merged it stands where the frame's own shot
// has it, and nowhere else; round it nothing is lost.
TEST(Merge, WhatMovesIsTakenFromOneShot) {
  const auto ship = [](SensorFrame frame, int at, double stops) {
    auto numbers = std::make_shared<std::vector<std::uint16_t>>(
        frame.mosaic.numbers.get(), frame.mosaic.numbers.get() + kWide * kHigh);
    const auto light =
        static_cast<std::uint16_t>(500 + 15500 * std::min(1.0, 0.2 * std::exp2(stops)));
    for (int y = 300; y < 340; ++y)
      for (int x = at; x < at + 60; ++x)
        (*numbers)[static_cast<std::size_t>(y) * kWide + x] = light;
    frame.mosaic.numbers = std::shared_ptr<const std::uint16_t>(numbers, numbers->data());
    return frame;
  };
  // Over light of 2^-6 to 2^-2 of the middle shot.
  std::vector<MergeShot> shots;
  shots.push_back({ship(shot(1, 0), 500, 0), 0, 100});
  shots.push_back({ship(shot(2, -2), 560, -2), -2, 100});
  shots.push_back({ship(shot(3, 2), 440, 2), 2, 100});
  const auto moving = find_moving(shots);
  const auto plain = merge(shots), merged = merge(shots, widened(moving));
  const auto at = [](const SensorFrame& f, int x) {
    double sum = 0;
    for (int y = 310; y < 330; ++y)
      for (int k = 0; k < 10; ++k) sum += f.mosaic.light(x + k, y) * std::exp2(f.headroom) / 200;
    return sum;
  };
  const auto truth = [](int x) { return std::exp2(stops_at(x + 5)); };
  EXPECT_GT(std::fabs(at(plain, 460) / truth(460) - 1), 0.05) << "there is something to mend";
  EXPECT_NEAR(at(merged, 460) / truth(460), 1, 0.01);
  EXPECT_NEAR(at(merged, 580) / truth(580), 1, 0.01);
  EXPECT_NEAR(at(merged, 520), 0.2, 0.002);
  // Elsewhere it is as without.
  int of = 0;
  for (const auto v : moving) of += v > 0;
  EXPECT_LT(of, 96 * 64 / 20);
  for (int x = 100; x < 300; x += 37)
    for (int y = 20; y < 600; y += 51)
      EXPECT_EQ(merged.mosaic.light(x, y), plain.mosaic.light(x, y));
}

// Moving parts come and go over the moments beside them.
TEST(Merge, MovingPartsRiseAndFallOverTime) {
  Sequence sequence;
  LightGrids grids;
  for (int f = 0; f < 9; ++f) {
    FrameInfo frame, other;
    frame.shutter = other.shutter = 1.0 / 64;
    frame.iso = other.iso = 100, frame.aperture = other.aperture = 8;
    frame.others = {other};
    sequence.frames.push_back(frame);
    LightGrid grid;
    grid.merged.stops = {0.0f};
    grid.merged.moving.assign(MergeInfo::kAcross * MergeInfo::kDown, 0);
    grids.emplace_back(grid);
  }
  const auto cell = static_cast<std::size_t>(20 * MergeInfo::kAcross + 30);
  grids[4]->merged.moving[cell] = 255;
  const auto plan = plan_merging(sequence, grids);
  const std::vector<int> expected{0, 0, 85, 170, 255, 170, 85, 0, 0};
  for (std::size_t f = 0; f < plan.size(); ++f) {
    const int here = plan[f].moving.empty() ? 0 : plan[f].moving[cell + 1];
    EXPECT_EQ(here, expected[f]) << f;
  }
}

// What is merged by is what is measured in the moment; where that cannot be, what is usual for
// these settings, and not what they say.
TEST(Merge, StopsAreThoseThatAreMeasured) {
  Sequence sequence;
  LightGrids grids;
  for (int f = 0; f < 9; ++f) {
    FrameInfo frame, other;
    frame.file = "a" + std::to_string(f), other.file = "b" + std::to_string(f);
    frame.shutter = 1.0 / 64, other.shutter = 1.0 / 16;
    frame.iso = other.iso = 100, frame.aperture = other.aperture = 8;
    frame.others = {other};
    sequence.frames.push_back(frame);
    LightGrid grid;
    grid.merged.stops = {2.05f + 0.01f * static_cast<float>(f % 2)};
    grids.emplace_back(grid);
  }
  grids[3]->merged.stops = {std::numeric_limits<float>::quiet_NaN()};
  grids[5]->merged.stops = {2.9f};  // a hand before the lens
  const auto plan = plan_merging(sequence, grids);
  EXPECT_FLOAT_EQ(plan[0].stops.at(0), 2.05f);
  EXPECT_FLOAT_EQ(plan[1].stops.at(0), 2.06f);
  EXPECT_NEAR(plan[3].stops.at(0), 2.055, 0.006);
  EXPECT_NEAR(plan[5].stops.at(0), 2.055, 0.006);
}

}  // namespace
}  // namespace tsukimi
