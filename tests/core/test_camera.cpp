// SPDX-License-Identifier: GPL-3.0-or-later
// The simulated camera and scene: the truth that all other tests stand on must itself be true.
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "sim/scene.h"
#include "support.h"

namespace tsukimi::sim {
namespace {

const std::vector<double> kDusk = [] {
  std::vector<double> light;
  for (int i = 0; i <= 32; ++i) light.push_back(-7.5 * i / 32);
  return light;
}();

std::vector<Shot> plan(const std::function<void(CameraOptions&)>& change = {}, int frames = 180) {
  CameraOptions o;
  o.frames = frames;
  o.seed = 3;
  if (change) change(o);
  return plan_shots(o, kDusk);
}

TEST(Shots, FollowTheFallingLightInThirds) {
  const auto shots = plan();
  ASSERT_EQ(shots.size(), 180u);
  const int rise =
      shots.back().shutter_thirds + shots.back().iso_thirds - shots.front().shutter_thirds;
  EXPECT_NEAR(rise / 3.0, 7.5 * 0.85, 0.5);
  int late = 0;
  for (const auto& s : shots) late += s.late_step;
  EXPECT_GE(late, 2);
  EXPECT_LT(late, 15);
}

TEST(Shots, NominalNumbersLieWithinAnEighthOfAStopOfTheExactOnes) {
  for (const auto& s : plan()) {
    EXPECT_NEAR(std::log2(s.nominal_shutter()), s.shutter_thirds / 3.0, 0.125);
    EXPECT_NEAR(2 * std::log2(s.nominal_aperture()), s.aperture_thirds / 3.0, 0.125);
    EXPECT_NEAR(std::log2(s.nominal_iso() / 100), s.iso_thirds / 3.0, 0.125);
  }
}

TEST(Shots, OneTradeOneWrongApertureTwoRuinedOneGap) {
  const auto shots = plan();
  int trades = 0, wrong = 0, ruined = 0, gaps = 0;
  for (std::size_t i = 0; i < shots.size(); ++i) {
    wrong += shots[i].fault == Fault::aperture;
    ruined += shots[i].ruined();
    if (i == 0) continue;
    gaps += shots[i].number != shots[i - 1].number + 1;
    const int iso = shots[i].iso_thirds - shots[i - 1].iso_thirds;
    trades += iso != 0 && shots[i].shutter_thirds < shots[i - 1].shutter_thirds;
  }
  EXPECT_EQ(trades, 1);
  EXPECT_EQ(wrong, 1);
  EXPECT_EQ(ruined, 2);
  EXPECT_EQ(gaps, 1);
}

TEST(Shots, EveryFlawCanBeSwitchedOff) {
  for (const auto& s : plan([](CameraOptions& o) { o.flicker = false; })) EXPECT_EQ(s.flicker, 1);
  for (const auto& s : plan([](CameraOptions& o) { o.ruined = false; })) EXPECT_FALSE(s.ruined());
  for (const auto& s : plan([](CameraOptions& o) { o.wrong_aperture = false; }))
    EXPECT_EQ(s.aperture_thirds, 15);
  for (const auto& s : plan([](CameraOptions& o) { o.wobble = false; }))
    EXPECT_EQ(s.wobble_x * s.wobble_y, 0);
  const auto whole = plan([](CameraOptions& o) { o.gap = false; });
  EXPECT_EQ(whole.back().number - whole.front().number, 179);
  std::set<double> gains;
  for (const auto& s : plan([](CameraOptions& o) { o.steps = o.wrong_aperture = false; }))
    gains.insert(s.true_gain());
  EXPECT_EQ(gains.size(), 1u);
}

TEST(Shots, FlickerHasThreePercent) {
  std::vector<double> percent;
  for (const auto& s : plan({}, 2000)) percent.push_back(100 * std::log(s.flicker));
  EXPECT_NEAR(test::rms(percent), 3.0, 0.2);
}

TEST(Shots, AShortIntervalLimitsTheShutterAndRaisesIso) {
  for (const auto& s : plan([](CameraOptions& o) { o.interval = 0.5; }))
    EXPECT_LE(std::exp2(s.shutter_thirds / 3.0), 0.3);
}

Image flat(int w, int h, float v) {
  Image image(w, h);
  for (auto& p : image.planes) std::fill(p.data.begin(), p.data.end(), v);
  return image;
}

Shot shot_of(int shutter_thirds = -20) {
  Shot s;
  s.number = 412;
  s.shutter_thirds = shutter_thirds;
  s.aperture_thirds = 15;
  return s;
}

CameraOptions clean() {
  CameraOptions o;
  o.dust = o.hot_pixels = o.noise = o.wobble = false;
  return o;
}

double mean_of(const Mosaic& m, int px, int py) {  // of one of the four colours
  double sum = 0;
  long n = 0;
  for (int y = py; y < m.height; y += 2)
    for (int x = px; x < m.width; x += 2)
      sum += m.data[static_cast<std::size_t>(y) * m.width + x] - kBlack, ++n;
  return sum / static_cast<double>(n);
}

TEST(Exposure, DoublesWithTheShutterAndFollowsFlicker) {
  const Image grey = flat(64, 48, 0.1f);
  Shot a = shot_of(-20), b = shot_of(-17), c = shot_of(-20);
  c.flicker = 1.1;
  const double ga = mean_of(expose(grey, a, clean()), 1, 0),
               gb = mean_of(expose(grey, b, clean()), 1, 0),
               gc = mean_of(expose(grey, c, clean()), 1, 0);
  EXPECT_NEAR(gb / ga, 2, 0.005);
  EXPECT_NEAR(gc / ga, 1.1, 0.005);
}

TEST(Exposure, GreenIsTheStrongestAndBothGreensAgree) {
  const Mosaic m = expose(flat(64, 48, 0.1f), shot_of(), clean());
  EXPECT_EQ(mean_of(m, 1, 0), mean_of(m, 0, 1));
  EXPECT_GT(mean_of(m, 1, 0), mean_of(m, 0, 0) * 1.3);
  EXPECT_GT(mean_of(m, 1, 0), mean_of(m, 1, 1) * 1.1);
}

TEST(Exposure, ClipsAtWhite) {
  const Mosaic m = expose(flat(32, 32, 50), shot_of(), clean());
  for (auto v : m.data) ASSERT_EQ(v, kWhite);
}

TEST(Exposure, NoiseIsThatOfElectrons) {
  CameraOptions o = clean();
  o.noise = true;
  const Mosaic m = expose(flat(400, 300, 0.1f), shot_of(), o);
  std::vector<double> greens;
  for (int y = 0; y < m.height; y += 2)
    for (int x = 1; x < m.width; x += 2)
      greens.push_back(m.data[static_cast<std::size_t>(y) * m.width + x] - kBlack);
  const double signal = mean_of(m, 1, 0) / (kWhite - kBlack);
  const double electrons = signal * 52000;  // full well
  const double expected = std::sqrt(electrons + 3.2 * 3.2) / 52000 * (kWhite - kBlack);
  EXPECT_NEAR(test::rms(greens) / expected, 1, 0.05);
}

TEST(Exposure, AnotherFrameHasOtherNoise) {
  CameraOptions o = clean();
  o.noise = true;
  Shot a = shot_of(), b = shot_of();
  b.number = 413;
  EXPECT_NE(expose(flat(64, 48, 0.1f), a, o).data, expose(flat(64, 48, 0.1f), b, o).data);
}

TEST(Exposure, WobbleShiftsThePictureByItsPixels) {
  Image spot = flat(200, 160, 0.001f);
  for (auto& p : spot.planes)
    for (int y = 0; y < 160; ++y)
      for (int x = 0; x < 200; ++x)
        p.at(x, y) += 0.2f * std::exp(-((x - 100) * (x - 100) + (y - 80) * (y - 80)) / 60.0f);
  auto centre = [&](double dx, double dy) {
    Shot s = shot_of();
    s.wobble_x = dx, s.wobble_y = dy;
    const Mosaic m = expose(spot, s, clean());
    double sum = 0, mx = 0, my = 0;
    for (int y = 0; y < m.height; ++y)
      for (int x = 0; x < m.width; ++x) {
        if ((x + y) % 2 == 0) continue;  // greens
        const double v = m.data[static_cast<std::size_t>(y) * m.width + x] - kBlack - 8;
        if (v > 40) sum += v, mx += v * x, my += v * y;
      }
    return std::pair{mx / sum, my / sum};
  };
  const auto still = centre(0, 0), moved = centre(2.3, -1.6);
  EXPECT_NEAR(moved.first - still.first, -2.3, 0.1);  // the camera moves right, the picture left
  EXPECT_NEAR(moved.second - still.second, 1.6, 0.1);
}

TEST(Exposure, HotPixelsStandInOnePlaceAndGrowWithTime) {
  CameraOptions o = clean();
  o.hot_pixels = true;
  const Image dark = flat(200, 160, 0);
  const Mosaic brief = expose(dark, shot_of(-12), o), later = expose(dark, shot_of(-3), o);
  int hot = 0;
  for (std::size_t i = 0; i < brief.data.size(); ++i)
    if (later.data[i] > kBlack + 200) {
      ++hot;
      EXPECT_GT(later.data[i], brief.data[i]);
    }
  EXPECT_GE(hot, 18);
  EXPECT_LE(hot, 20);
}

TEST(Exposure, DustDarkensThreeSpotsOnly) {
  CameraOptions o = clean();
  o.dust = true;
  const Image grey = flat(300, 200, 0.1f);
  const Mosaic with = expose(grey, shot_of(), o), without = expose(grey, shot_of(), clean());
  long darker = 0;
  for (std::size_t i = 0; i < with.data.size(); ++i) {
    EXPECT_LE(with.data[i], without.data[i]);
    darker += with.data[i] < without.data[i] * 0.97;
  }
  EXPECT_GT(darker, 10);
  EXPECT_LT(darker, 2000);
}

TEST(Exposure, HeadlightsBrightenByAStopOrMore) {
  const Image grey = flat(120, 80, 0.02f);
  Shot s = shot_of();
  const double before = mean_of(expose(grey, s, clean()), 1, 0);
  s.fault = Fault::headlights;
  EXPECT_GT(mean_of(expose(grey, s, clean()), 1, 0), 1.8 * before);
}

double mean_luma(const Image& i, double x0, double y0, double x1, double y1) {  // scene fractions
  double sum = 0;
  long n = 0;
  for (int y = static_cast<int>(y0 * i.height); y < static_cast<int>(y1 * i.height); ++y)
    for (int x = static_cast<int>(x0 * i.width); x < static_cast<int>(x1 * i.width); ++x)
      sum += i.planes[1].at(x, y), ++n;
  return sum / static_cast<double>(n);
}

const HarbourScene& scene() {
  static const HarbourScene s({450, 300}, 11);
  return s;
}

TEST(Scene, FallsSmoothlyFromDayToNight) {
  double before = 1e9, largest = 0;
  std::vector<double> stops;
  for (int i = 0; i <= 20; ++i) {
    const double v = mean_luma(scene().render(i / 20.0, 3600 * i / 20.0), 0, 0, 1, 0.2);
    EXPECT_LT(v, before * 1.08) << i;
    before = v;
    stops.push_back(std::log2(v));
  }
  EXPECT_GT(stops.front() - stops.back(), 6);
  for (std::size_t i = 1; i < stops.size(); ++i)
    largest = std::max(largest, stops[i - 1] - stops[i]);
  EXPECT_LT(largest, 1.0);
}

TEST(Scene, HousesLightUpAgainstTheFallingLight) {
  auto ratio = [](double p) {
    const Image i = scene().render(p, 100);
    return mean_luma(i, 0.02, 0.48, 0.38, 0.53) / mean_luma(i, 0, 0, 1, 0.2);
  };
  EXPECT_GT(ratio(1.0), 2 * ratio(0.3));
}

TEST(Scene, TheFerryComesAndGoes) {
  // Seen against the same moment's water without it: the hull's place changes from one time to the
  // next.
  auto at_quay = [](double p) {
    return mean_luma(scene().render(p, 500), 0.32, 0.585, 0.45, 0.61) /
           mean_luma(scene().render(p, 500), 0.05, 0.585, 0.2, 0.61);
  };
  EXPECT_GT(std::fabs(std::log2(at_quay(0.45) / at_quay(0.02))), 0.15);
}

TEST(Scene, TheTideFallsOnTheQuayWall) {
  EXPECT_LT(evening_at(0).tide + 0.02f, evening_at(1).tide);
  EXPECT_LE(evening_at(1).tide, kQuayFoot);
}

TEST(Scene, HasTextureEverywhereButInTheSky) {
  const Image i = scene().render(0.15, 300);
  int flat_blocks = 0, blocks = 0;
  for (int by = 160; by + 15 <= 300; by += 15)
    for (int bx = 0; bx + 15 <= 450; bx += 15) {
      double sum = 0, sum2 = 0;
      for (int y = by; y < by + 15; ++y)
        for (int x = bx; x < bx + 15; ++x) {
          const double v = std::log2(i.planes[1].at(x, y) + 1e-4);
          sum += v, sum2 += v * v;
        }
      const double variance = sum2 / 225 - sum * sum / 225 / 225;
      flat_blocks += variance < 0.002;
      ++blocks;
    }
  EXPECT_LT(flat_blocks, blocks / 25);
}

TEST(Scene, TheSameMomentIsTheSamePicture) {
  const HarbourScene again({450, 300}, 11), other({450, 300}, 12);
  const Image a = scene().render(0.5, 900), b = again.render(0.5, 900), c = other.render(0.5, 900);
  EXPECT_EQ(a.planes[1].data, b.planes[1].data);
  EXPECT_NE(a.planes[1].data, c.planes[1].data);
}

TEST(Simulate, RefusesWhatMakesNoSense) {
  const test::TempDir dir;
  SimulateOptions o;
  o.folder = dir / "f";
  o.size = {101, 80};
  EXPECT_FALSE(simulate(o));
  o.size = {120, 80};
  o.camera.frames = 0;
  EXPECT_FALSE(simulate(o));
  o.camera.frames = 2;
  o.camera.interval = -1;
  EXPECT_FALSE(simulate(o));
  o.camera.interval = 5;
  o.folder = "/proc/nowhere/f";
  const auto r = simulate(o);
  ASSERT_FALSE(r);
  EXPECT_NE(r.error().message.find("/proc/nowhere/f"), std::string::npos);
}

TEST(Simulate, CanBeCancelled) {
  const test::TempDir dir;
  SimulateOptions o;
  o.folder = dir / "f";
  o.size = {120, 80};
  o.camera.frames = 40;
  std::atomic<bool> stop{false};
  const auto r = simulate(o, {[&](int done, int) { stop = done >= 4; }, &stop});
  ASSERT_FALSE(r);
  EXPECT_NE(r.error().message.find("cancelled"), std::string::npos);
}

}  // namespace
}  // namespace tsukimi::sim
