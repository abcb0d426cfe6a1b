// SPDX-License-Identifier: GPL-3.0-or-later
// The stars stand and the land turns: by a sky whose turn is given.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "develop/develop.h"
#include "develop/placing.h"
#include "document/courses.h"
#include "document/values.h"
#include "places/mask.h"
#include "sky/sky_fit.h"

namespace tsukimi {
namespace {

constexpr int kFrames = 61;
constexpr double kInterval = 60;

// An hour of sky.
Shoot night(double seconds_between = kInterval) {
  Shoot s;
  s.sequence.size = {1500, 1000};
  for (int k = 0; k < kFrames; ++k) {
    FrameInfo f;
    f.file = "n" + std::to_string(1000 + k) + ".dng";
    f.id = static_cast<FrameId>(k);
    f.time = 1e9 + k * kInterval;
    f.size = s.sequence.size;
    s.sequence.frames.push_back(f);
    s.sequence.places.push_back(k);
  }
  s.sequence.interval = kInterval;
  auto fit = std::make_shared<SkyFit>();
  fit->problem = SkyProblem::none;
  fit->lens = {28.0 / 36, -0.02, 1.5};
  fit->pole = fit->lens.ray({0.4, -0.3});
  for (int k = 0; k < kFrames; ++k) {
    SkyFrame f;
    f.turn = rotation_about(fit->pole, 2 * std::numbers::pi * k * seconds_between / kSiderealDay);
    fit->frames.push_back(f);
  }
  s.sky = fit;
  s.decisions.framing.steady.how = Steadying::stars;
  return s;
}

Point star_in(const Shoot& s, Point at_first, int frame) {
  return SkyTurn{s.sky->lens, s.sky->between(0, frame)}.at(at_first);
}

TEST(HeldStars, StandInTheFilmAndNoBorderShows) {
  const Shoot s = night();
  const FramingCourse framing(s);
  ASSERT_TRUE(framing.holds_stars());
  EXPECT_NEAR(framing.held_turn(), 7.52, 0.05) << "half an hour each way";
  EXPECT_LT(framing.fit(), 1);
  EXPECT_GT(framing.fit(), 0.6);
  const Size size = framing.smallest();
  std::optional<Point> first;
  for (int k = 0; k < kFrames; k += 10) {
    const Placement lies = framing.film(k, size);
    for (const auto& [u, v] : {std::pair{0.0, 0.0}, {1, 0}, {1, 1}, {0, 1}, {0.5, 0}}) {
      const Point p = lies.at(u, v);
      EXPECT_GE(std::min(p.x, p.y), -1e-6) << k;
      EXPECT_LE(std::max(p.x, p.y), 1 + 1e-6) << k;
    }
    const Point star = lies.back(star_in(s, {0.5, 0.4}, k));
    if (!first) first = star;
    EXPECT_NEAR(star.x * size.width, first->x * size.width, 1e-4) << k;
    EXPECT_NEAR(star.y * size.height, first->y * size.height, 1e-4) << k;
  }
  EXPECT_FALSE(framing.film(30, size).sky->turn[1] > 1e-9) << "in the middle nothing is turned";
}

TEST(HeldStars, GoOnAsFarAsTheyAreNotHeld) {
  Shoot s = night();
  for (const auto& [frame, amount] : {std::pair{0, 0.0}, {20, 0.0}, {21, 100.0}, {60, 100.0}}) {
    set_value(s, Param::star_hold, frame, amount);
    set_easing(s, frame, Easing::straight, {kStarHold});
  }
  const FramingCourse framing(s);
  ASSERT_TRUE(framing.holds_stars());
  const Size size{1200, 800};
  // The land stands first, the stars after.
  EXPECT_EQ(framing.film(3, size).sky->turn, framing.film(18, size).sky->turn);
  const Point a = framing.film(30, size).back(star_in(s, {0.5, 0.4}, 30)),
              b = framing.film(55, size).back(star_in(s, {0.5, 0.4}, 55));
  EXPECT_NEAR(a.x, b.x, 1e-7);
  EXPECT_NEAR(a.y, b.y, 1e-7);
  const Point c = framing.film(3, size).back(star_in(s, {0.5, 0.4}, 3)),
              d = framing.film(18, size).back(star_in(s, {0.5, 0.4}, 18));
  EXPECT_GT(std::hypot(c.x - d.x, c.y - d.y), 0.01);
}

TEST(HeldStars, AreNotHeldWhereThatIsNotKnownOrTurnsTooFar) {
  Shoot s = night();
  s.sky = nullptr;
  EXPECT_FALSE(FramingCourse(s).holds_stars());
  auto none = std::make_shared<SkyFit>();
  none->problem = SkyProblem::no_stars;
  s.sky = none;
  EXPECT_FALSE(FramingCourse(s).holds_stars());
  EXPECT_EQ(FramingCourse(s).fit(), 1);
  const FramingCourse far(night(600));  // ten hours
  EXPECT_FALSE(far.holds_stars());
  EXPECT_GT(far.held_turn(), FramingCourse::kMostHeld);
}

// A place stays where it is on each frame, whatever the film does with that.
TEST(HeldStars, AMaskGoesWithTheLand) {
  const Shoot s = night();
  const FramingCourse framing(s);
  LocalPlace place = new_place("sky", ShapeKind::graduated, FrameId{0});
  place.shapes.push_back(new_shape(ShapeKind::ellipse, FrameId{0}));
  const PlaceAt at = PlaceCourse(place, time_axis(s.sequence.frames), s.sequence.places).whole(50);
  const Size size{600, 400};
  const Placement lies = framing.film(50, size);
  const Mask held(at, lies, size, s.sequence.size),
      plain(at, Placement(Rect{}), s.sequence.size, s.sequence.size);
  std::vector<float> row(600), land(1500);
  double worst = 0;
  for (int y = 0; y < 400; y += 7) {
    held.row(y, {}, row.data());
    for (int x = 0; x < 600; x += 11) {
      const Point p = lies.at((x + 0.5) / 600, (y + 0.5) / 400);
      plain.row(std::clamp(static_cast<int>(p.y * 1000), 0, 999), {}, land.data());
      const float there = land[static_cast<std::size_t>(std::clamp(p.x * 1500, 0.0, 1499.0))];
      worst =
          std::max(worst, std::fabs(static_cast<double>(there - row[static_cast<std::size_t>(x)])));
    }
  }
  EXPECT_LT(worst, 0.02);
}

// A place that follows the stars goes with them.
TEST(HeldStars, APlaceThatFollowsThemGoesWithThem) {
  Shoot s = night();
  LocalPlace place = new_place("star", ShapeKind::ellipse, FrameId{0});
  Values& v = place.shapes.front().values.keys.front().values;
  v[Param::centre_x] = 0.5, v[Param::centre_y] = 0.4;
  place.follow = Follow::stars;
  const PlaceCourse course = place_course_of(s, place);
  for (int k : {10, 60}) {
    const Values here = course.whole(k).shapes.front().values;
    const Point truth = star_in(s, {0.5, 0.4}, k);
    EXPECT_NEAR(here[Param::centre_x], truth.x, 1e-6) << k;
    EXPECT_NEAR(here[Param::centre_y], truth.y, 1e-6) << k;
  }
}

// Light that lies on a grid of stars comes to rest at the same pixels.
TEST(HeldStars, PicturesOfThemAreTheSamePictures) {
  const Shoot s = night();
  const FramingCourse framing(s);
  const Size size{300, 200};
  auto picture = [&](int frame) {
    SensorFrame sensor;
    sensor.rgb = Image(1500, 1000);
    for (auto& plane : sensor.rgb.planes) std::fill(plane.data.begin(), plane.data.end(), 0.02f);
    for (double sx = 0.3; sx < 0.75; sx += 0.09)
      for (double sy = 0.3; sy < 0.7; sy += 0.11) {
        const Point p = star_in(s, {sx, sy}, frame);
        const double x = p.x * 1500 - 0.5, y = p.y * 1000 - 0.5;
        for (int j = -9; j <= 9; ++j)
          for (int i = -9; i <= 9; ++i) {
            const int px = static_cast<int>(x) + i, py = static_cast<int>(y) + j;
            if (px < 0 || py < 0 || px >= 1500 || py >= 1000) continue;
            const double d = (px - x) * (px - x) + (py - y) * (py - y);
            for (auto& plane : sensor.rgb.planes)
              plane.at(px, py) += static_cast<float>(0.5 * std::exp(-d / 18));
          }
      }
    PictureRecipe how;
    how.look = neutral_look(6504, 0);
    how.placement = framing.film(frame, size);
    return develop_frame(std::move(sensor), how);
  };
  const Image a = picture(30), b = picture(2), c = picture(59);
  double worst = 0, most = 0;
  for (std::size_t i = 0; i < a.planes[1].data.size(); ++i) {
    most = std::max(most, static_cast<double>(a.planes[1].data[i]));
    for (const Image* other : {&b, &c})
      worst = std::max(
          worst, std::fabs(static_cast<double>(a.planes[1].data[i] - other->planes[1].data[i])));
  }
  EXPECT_GT(most, 0.2);
  EXPECT_LT(worst, 0.06 * most);
}

}  // namespace
}  // namespace tsukimi
