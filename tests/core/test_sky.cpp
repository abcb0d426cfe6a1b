// SPDX-License-Identifier: GPL-3.0-or-later
// How the sky turns, found from stars whose places are known.
#include "sky/sky_fit.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "framing/placement.h"
#include "sim/night.h"
#include "sky/find_stars.h"

namespace tsukimi {
namespace {

constexpr double kAspect = 1.5;
constexpr int kWide = 1500;  // pixels that lengths are told in

double pixels(Point a, Point b) {
  return std::hypot((a.x - b.x) * kWide, (a.y - b.y) * kWide / kAspect);
}

// A night that is only its stars' places, each off by `off` pixels.
struct Night {
  SkyLens lens{28.0 / 36, 0, kAspect};
  Ray pole = lens.ray({0.4, -0.2});
  double sign = 1, interval = 20, off = 0.3;
  int frames = 40, most = 150;
  std::vector<StarFrame> shoot(std::uint32_t seed) const {
    sim::NightOptions o;
    const sim::NightSky stars({300, 200}, o, seed, 0, 1);
    std::vector<StarFrame> out;
    for (int k = 0; k < frames; ++k) {
      StarFrame f;
      f.time = 1000 + k * interval;
      for (const sim::Star& s : stars.stars()) {
        const Point p = place(s.at, k);
        const auto number = static_cast<std::uint32_t>(f.stars.size());
        if (p.x < 0 || p.y < 0 || p.x > 1 || p.y > 0.6 || std::ssize(f.stars) >= most) continue;
        auto error = [&](std::uint32_t what) {
          return off * static_cast<double>(
                           sim::normal_from(number, static_cast<std::uint32_t>(k), seed + what));
        };
        f.stars.push_back({{p.x + error(1) / kWide, p.y + error(2) * kAspect / kWide}, s.light});
      }
      out.push_back(std::move(f));
    }
    return out;
  }
  Point place(const Ray& star, int frame) const {
    const Ray now = turned(rotation_about(pole, angle(frame)), star);
    return now[2] > 0.05 ? lens.seen(now) : Point{-1, -1};
  }
  double angle(int frame) const {
    return sign * 2 * std::numbers::pi * frame * interval / kSiderealDay;
  }
  // By how many pixels the fit is off over the sky, from the first frame to the last.
  double off_by(const SkyFit& fit) const {
    const SkyTurn truth{lens, rotation_about(pole, angle(frames - 1))},
        found{fit.lens, fit.between(0, frames - 1)};
    double worst = 0;
    for (double y : {0.05, 0.3, 0.55})
      for (double x : {0.05, 0.35, 0.65, 0.95})
        worst = std::max(worst, pixels(truth.at({x, y}), found.at({x, y})));
    return worst;
  }
};

TEST(SkyTurns, ThereAndBackIsNothingAndTurnsAddUp) {
  const SkyLens lens{0.8, -0.06, 1.5};
  for (double x : {0.0, 0.2, 0.5, 0.9})
    for (double y : {0.1, 0.5, 1.0}) {
      const Point p = lens.seen(lens.ray({x, y}));
      EXPECT_NEAR(p.x, x, 1e-9);
      EXPECT_NEAR(p.y, y, 1e-9);
    }
  const Ray axis = lens.ray({0.1, 0.2});
  const Rotation a = rotation_about(axis, 0.3), b = rotation_about(axis, 0.5);
  const Rotation both = then(a, b), whole = rotation_about(axis, 0.8), half = part_of(whole, 0.5);
  for (std::size_t i = 0; i < 9; ++i) {
    EXPECT_NEAR(both[i], whole[i], 1e-12);
    EXPECT_NEAR(half[i], rotation_about(axis, 0.4)[i], 1e-12);
  }
  EXPECT_NEAR(angle_of(whole), 0.8, 1e-12);
  Placement lies = turned(Placement({0.1, 0.1, 0.7, 0.7}), 7, {1500, 1000});
  lies.sky = SkyTurn{lens, a};
  const Point there = lies.at(0.3, 0.8), back = lies.back(there);
  EXPECT_NEAR(back.x, 0.3, 1e-9);
  EXPECT_NEAR(back.y, 0.8, 1e-9);
}

// The pole in the picture, outside of it, far beside it, behind; a sky that turns the other way; a
// lens that bends; a short and a long one.
TEST(SkyFits, ThePoleAndTheLensAreFoundWhereverTheyAre) {
  int seed = 501;
  for (const Point pole : {Point{0.5, 0.3}, {0.4, -0.2}, {-2, -1}, {4, 0.5}}) {
    Night night;
    night.pole = night.lens.ray(pole);
    night.sign = seed % 2 ? 1 : -1;
    const SkyFit fit = fit_sky(night.shoot(static_cast<std::uint32_t>(seed)), kAspect, 0.78);
    ASSERT_TRUE(fit.found()) << seed;
    EXPECT_LT(night.off_by(fit), 0.25) << seed;
    EXPECT_GT(fit.stars, 20);
    EXPECT_TRUE(notes_of(fit).empty());
    ++seed;
  }
  for (const double focal : {0.5, 2.3}) {
    Night night;
    night.lens.focal = focal;
    night.pole = night.lens.ray({0.4, -0.2});
    // Nobody tells the focal length.
    const SkyFit fit = fit_sky(night.shoot(511), kAspect, 0);
    ASSERT_TRUE(fit.found()) << focal;
    EXPECT_LT(night.off_by(fit), 0.4) << focal;
  }
  Night bent;
  bent.lens.bend = -0.05;
  bent.pole = bent.lens.ray({0.4, -0.2});
  bent.frames = 120;
  const SkyFit fit = fit_sky(bent.shoot(512), kAspect, 0.78);
  ASSERT_TRUE(fit.found());
  EXPECT_NEAR(fit.lens.bend, -0.05, 0.02);
  EXPECT_LT(bent.off_by(fit), 0.4);
}

TEST(SkyFits, ATripodThatIsShovedIsSeenByTheStars) {
  const Night night;
  std::vector<StarFrame> frames = night.shoot(521);
  const Rotation shove = rotation_about({0, 1, 0}, 3.0 / kWide / night.lens.focal);
  for (std::size_t k = 25; k < frames.size(); ++k)
    for (SeenStar& s : frames[k].stars) s.at = night.lens.seen(turned(shove, night.lens.ray(s.at)));
  const SkyFit fit = fit_sky(frames, kAspect, 0.78);
  ASSERT_TRUE(fit.found());
  const Rotation truth = then(rotation_about(night.pole, night.angle(39)), shove);
  const SkyTurn there{night.lens, truth}, found{fit.lens, fit.between(0, 39)};
  for (double x : {0.1, 0.5, 0.9})
    EXPECT_LT(pixels(there.at({x, 0.3}), found.at({x, 0.3})), 0.5) << x;
}

// Wind: every frame lies elsewhere, by a pixel or so; each is turned as its stars say.
TEST(SkyFits, WindIsSeenByTheStarsOfEachFrame) {
  const Night night;
  std::vector<StarFrame> frames = night.shoot(525);
  std::vector<Rotation> shaken;
  for (std::size_t k = 0; k < frames.size(); ++k) {
    auto pixels_off = [&](std::uint32_t what) {
      return 0.55 *
             static_cast<double>(sim::normal_from(static_cast<std::uint32_t>(k), what, 526)) /
             kWide / night.lens.focal;
    };
    shaken.push_back(
        then(rotation_about({0, 1, 0}, pixels_off(1)), rotation_about({1, 0, 0}, pixels_off(2))));
    for (SeenStar& s : frames[k].stars)
      s.at = night.lens.seen(turned(shaken[k], night.lens.ray(s.at)));
  }
  const SkyFit fit = fit_sky(frames, kAspect, 0.78);
  ASSERT_TRUE(fit.found());
  double squares = 0;
  for (int k = 1; k < night.frames; ++k) {
    const auto i = static_cast<std::size_t>(k);
    const Rotation truth =
        then(then(inverse(shaken[0]), rotation_about(night.pole, night.angle(k))), shaken[i]);
    const SkyTurn there{night.lens, truth}, found{fit.lens, fit.between(0, k)};
    const double off = pixels(there.at({0.5, 0.3}), found.at({0.5, 0.3}));
    squares += off * off;
  }
  EXPECT_LT(std::sqrt(squares / (night.frames - 1)), 0.35)
      << "it shook by 2 px from frame to frame";
}

TEST(SkyFits, CloudsAndAnotherLensAreSaidAndTheSkyGoesOn) {
  const Night night;
  std::vector<StarFrame> frames = night.shoot(531);
  for (std::size_t k = 15; k < 25; ++k) frames[k].stars.resize(2);
  SkyFit fit = fit_sky(frames, kAspect, 0.78);
  ASSERT_TRUE(fit.found());
  EXPECT_LT(night.off_by(fit), 0.25);
  ASSERT_EQ(notes_of(fit).size(), 1u);
  EXPECT_NE(notes_of(fit)[0].find("16-25;"), std::string::npos) << notes_of(fit)[0];
  const SkyTurn under{fit.lens, fit.between(0, 20)},
      truth{night.lens, rotation_about(night.pole, night.angle(20))};
  EXPECT_LT(pixels(under.at({0.5, 0.3}), truth.at({0.5, 0.3})), 0.3) << "by the clock";

  for (std::size_t k = 30; k < 40; ++k) frames[k].same_camera = false;
  fit = fit_sky(frames, kAspect, 0.78);
  ASSERT_TRUE(fit.found());
  EXPECT_FALSE(fit.frames[35].valid);
  ASSERT_EQ(notes_of(fit).size(), 2u);
  EXPECT_NE(notes_of(fit)[1].find("31-40 are of another camera"), std::string::npos);
}

// Never a wrong turn: what is no sky is said to be none.
TEST(SkyFits, WhatIsNoSkyIsSaidToBeNone) {
  Night night;
  auto problem = [](const std::vector<StarFrame>& frames) {
    const SkyFit fit = fit_sky(frames, kAspect, 0.78);
    EXPECT_EQ(notes_of(fit).size(), 1u);
    return fit.problem;
  };
  night.frames = 2;
  EXPECT_EQ(problem(night.shoot(541)), SkyProblem::few_frames);
  EXPECT_EQ(problem({}), SkyProblem::few_frames);
  night.frames = 40;
  night.most = 1;
  EXPECT_EQ(problem(night.shoot(542)), SkyProblem::no_stars);
  night.most = 4;
  EXPECT_EQ(problem(night.shoot(543)), SkyProblem::few_stars);
  night.most = 150;
  std::vector<StarFrame> dark = night.shoot(544);
  for (StarFrame& f : dark) f.stars.clear();
  EXPECT_EQ(problem(dark), SkyProblem::no_stars);
  std::vector<StarFrame> still = night.shoot(545);
  for (StarFrame& f : still) f.stars = still.front().stars;
  EXPECT_EQ(problem(still), SkyProblem::stands);
  // What glitters: points anywhere, others in each frame.
  std::vector<StarFrame> glitter = night.shoot(546);
  for (std::size_t k = 0; k < glitter.size(); ++k)
    for (std::size_t i = 0; i < glitter[k].stars.size(); ++i)
      glitter[k].stars[i].at = {
          static_cast<double>(sim::unit_hash(static_cast<int>(i), static_cast<int>(k), 7)),
          static_cast<double>(sim::unit_hash(static_cast<int>(i), static_cast<int>(k), 8))};
  EXPECT_NE(problem(glitter), SkyProblem::none);
  // Clouds that drift all one way, far faster than the sky.
  std::vector<StarFrame> clouds = night.shoot(547);
  for (std::size_t k = 0; k < clouds.size(); ++k) {
    clouds[k].stars = clouds.front().stars;
    for (SeenStar& s : clouds[k].stars) s.at.x += 0.004 * static_cast<double>(k);
  }
  EXPECT_NE(problem(clouds), SkyProblem::none);
}

TEST(Stars, AreFoundWhereTheyAreAndNothingElse) {
  Plane light(400, 300);
  std::uint32_t k = 0;
  for (float& v : light.data) v = 0.05f + 0.002f * sim::normal_from(++k, 1, 61);
  // A skyline, a streak, a lamp that is large.
  for (int y = 220; y < 300; ++y)
    for (int x = 0; x < 400; ++x) light.at(x, y) *= 0.3f;
  for (int x = 20; x < 380; ++x) light.at(x, 40 + x / 20) += 0.1f;
  for (int y = 150; y < 164; ++y)
    for (int x = 300; x < 314; ++x) light.at(x, y) += 0.5f;
  std::vector<Point> truth;
  for (int i = 0; i < 20; ++i) {
    const double x = 30.3 + 17.37 * i, y = 90.2 + 5.71 * (i % 7);
    truth.push_back({x, y});
    for (int j = -4; j <= 4; ++j)
      for (int l = -4; l <= 4; ++l) {
        const int px = static_cast<int>(x) + l, py = static_cast<int>(y) + j;
        light.at(px, py) += static_cast<float>(
            0.06 * std::exp(-((px - x) * (px - x) + (py - y) * (py - y)) / (2 * 0.9 * 0.9)));
      }
  }
  const auto stars = find_stars(light);
  int found = 0;
  double squares = 0;
  for (const Point& t : truth)
    for (const SeenStar& s : stars) {
      const double dx = s.at.x * 400 - 0.5 - t.x, dy = s.at.y * 300 - 0.5 - t.y;
      if (std::hypot(dx, dy) < 1) ++found, squares += dx * dx + dy * dy;
    }
  EXPECT_EQ(found, 20);
  EXPECT_LT(std::sqrt(squares / 20), 0.15) << "pixels";
  EXPECT_LE(stars.size(), 22u);
}

}  // namespace
}  // namespace tsukimi
