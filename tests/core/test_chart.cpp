// SPDX-License-Identifier: GPL-3.0-or-later
// Colours of the 24-patch chart, from light and surfaces to the developed picture.
#include <gtest/gtest.h>

#include <numeric>

#include "base/file.h"
#include "develop/develop.h"
#include "sim/chart.h"
#include "support.h"

namespace tsukimi {
namespace {

TEST(Spectra, LightsHaveTheirPublishedWhites) {
  sim::Spectrum white;
  white.fill(1);
  auto expect = [&](const sim::Spectrum& light, double x, double z) {
    const Vec3 xyz = sim::xyz_of(white, light);
    EXPECT_NEAR(xyz[0], x, 0.002);
    EXPECT_NEAR(xyz[2], z, 0.002);
  };
  expect(sim::daylight(6504), 0.9504, 1.0888);
  expect(sim::daylight(5003), 0.9642, 0.8251);
  expect(sim::planckian(2856), 1.0985, 0.3558);
}

TEST(Spectra, DifferencesArePublishedOnes) {  // Sharma, Wu & Dalal 2005, table 1
  EXPECT_NEAR(sim::ciede2000({50, 2.6772, -79.7751}, {50, 0, -82.7485}), 2.0425, 1e-4);
  EXPECT_NEAR(sim::ciede2000({50, 3.1571, -77.2803}, {50, 0, -82.7485}), 2.8615, 1e-4);
  EXPECT_NEAR(sim::ciede2000({2.0776, 0.0795, -1.1350}, {0.9033, -0.0636, -0.5514}), 0.9082, 1e-4);
  EXPECT_NEAR(sim::ciede2000({60.2574, -34.0099, 36.2677}, {60.4626, -34.1751, 39.4387}), 1.2644,
              1e-4);
}

TEST(Spectra, PatchesHaveThePublishedColours) {
  // L*a*b* under D50 as the chart's maker gives them: another batch, so within what charts differ.
  const Vec3 published[24] = {
      {37.99, 13.56, 14.06},  {65.71, 18.13, 17.81},  {49.93, -4.88, -21.93},
      {43.14, -13.10, 21.91}, {55.11, 8.84, -25.40},  {70.72, -33.40, -0.20},
      {62.66, 36.07, 57.10},  {40.02, 10.41, -45.96}, {51.12, 48.24, 16.25},
      {30.33, 22.98, -21.59}, {72.53, -23.71, 57.26}, {71.94, 19.36, 67.86},
      {28.78, 14.18, -50.30}, {55.26, -38.34, 31.37}, {42.10, 53.38, 28.19},
      {81.73, 4.04, 79.82},   {51.94, 49.99, -14.57}, {51.04, -28.63, -28.64},
      {96.54, -0.43, 1.19},   {81.26, -0.64, -0.34},  {66.77, -0.73, -0.50},
      {50.87, -0.15, -0.27},  {35.66, -0.42, -1.23},  {20.46, -0.08, -0.97}};
  sim::Spectrum white;
  white.fill(1);
  const auto light = sim::daylight(5003);
  for (int i = 0; i < 24; ++i) {
    const Vec3 lab =
        sim::lab_of(sim::xyz_of(sim::chart_reflectances()[i], light), sim::xyz_of(white, light));
    EXPECT_LT(sim::ciede2000(lab, published[i]), 1.2) << i;
  }
}

double chart_difference(const sim::Spectrum& light, bool second_matrix) {
  const test::TempDir dir;
  sim::Shot shot;
  shot.time = 1948732200;
  sim::DngLayout layout;
  layout.colour = sim::fitted_colour(light);
  layout.second_matrix = second_matrix;
  const auto dng = sim::make_dng(sim::shoot_chart(light), shot, {}, {}, layout);
  EXPECT_TRUE(dng && write_file(dir / "chart.dng", *dng, IfExists::keep, false));
  SensorFrame frame = *read_frame(dir / "chart.dng");
  const auto as_shot = as_shot_temperature(frame.colour);
  PictureRecipe s;
  s.look = neutral_look(as_shot.kelvin, as_shot.tint);
  s.placement.size = sim::chart_size();
  const auto d = sim::chart_differences(develop_frame(std::move(frame), s), light);
  return std::accumulate(d.begin(), d.end(), 0.0) / 24;
}

TEST(Chart, DevelopsToItsOwnColoursUnderEveryLight) {
  EXPECT_LT(chart_difference(sim::daylight(6504), true), 1.2);
  EXPECT_LT(chart_difference(sim::daylight(5003), true), 1.2);
  EXPECT_LT(chart_difference(sim::planckian(2856), true), 1.2);
}

TEST(Chart, TheSecondMatrixIsWhatMakesWarmLightRight) {
  const auto lamp = sim::planckian(2856);
  EXPECT_GT(chart_difference(lamp, false), 1.7 * chart_difference(lamp, true));
  EXPECT_LT(chart_difference(sim::daylight(6504), false), 1.2);  // that of D65 does there
}

}  // namespace
}  // namespace tsukimi
