// SPDX-License-Identifier: GPL-3.0-or-later
// What the film shows of every frame: crop, glide, straightening, steadying.
#include <gtest/gtest.h>

#include <numbers>
#include <random>

#include "core/cli_runner.h"
#include "develop/placing.h"
#include "document/files/shoot_file.h"
#include "document/framing/framing_edit.h"
#include "document/framing/output_size.h"
#include "document/values.h"
#include "film/checks.h"
#include "film/film.h"
#include "motion/track.h"

namespace tsukimi {
namespace {

constexpr double kDegree = std::numbers::pi / 180;

Glide glide(std::vector<GlideKey> keys, double frame = 1.5, double shape = 1.5) {
  return {keys, frame, shape};
}

TEST(Glide, IsExactAtItsKeyFramesAndMonotoneBetween) {
  const std::vector<GlideKey> keys{{0, {0, 0, 1, 0}, Easing::eased},
                                   {40, {0.1, 0.3, 0.5, 4}, Easing::smooth},
                                   {70, {0.2, 0.3, 0.5, 4}, Easing::smooth},
                                   {100, {0.5, 0.4, 0.4, -2}, Easing::eased}};
  const Glide g = glide(keys);
  for (const GlideKey& k : keys) EXPECT_EQ(g.at(k.time), k.crop) << k.time;
  EXPECT_EQ(g.at(-5), keys.front().crop);
  EXPECT_EQ(g.at(500), keys.back().crop);
  auto monotone = [&](auto value, double a, double b) {
    const double way = value(g.at(b)) - value(g.at(a));
    for (double t = a; t < b; t += 0.5)
      EXPECT_GE((value(g.at(t + 0.5)) - value(g.at(t))) * way, -1e-12) << t;
  };
  for (std::size_t k = 0; k + 1 < keys.size(); ++k) {
    monotone([](const CropAt& c) { return c.x; }, keys[k].time, keys[k + 1].time);
    monotone([](const CropAt& c) { return c.y; }, keys[k].time, keys[k + 1].time);
    monotone([](const CropAt& c) { return c.w; }, keys[k].time, keys[k + 1].time);
    monotone([](const CropAt& c) { return c.angle; }, keys[k].time, keys[k + 1].time);
  }
}

TEST(Glide, EasingIsThatOfItsKeyFrames) {
  auto at = [](Easing easing, double time) {
    return glide({{0, {0, 0, 0.5, 0}, easing}, {40, {0.4, 0.2, 0.5, 0}, easing}}).at(time).x;
  };
  EXPECT_EQ(at(Easing::hold, 39.9), 0) << "it stays until the next";
  EXPECT_EQ(at(Easing::hold, 40), 0.4);
  EXPECT_NEAR(at(Easing::straight, 10), 0.1, 1e-9);
  EXPECT_LT(at(Easing::eased, 4), 0.02) << "it begins at rest";
  EXPECT_GT(at(Easing::eased, 36), 0.38);
}

TEST(Glide, AZoomFeelsEvenAndOnePointOfThePictureStays) {
  const CropAt from{0, 0, 1, 0}, to{0.3, 0.1, 0.25, 0};
  const Glide g = glide({{0, from}, {60, to}});
  // The place that both crops have at the same part of themselves.
  const double u = (to.x - from.x) / (from.w - to.w), v = (to.y - from.y) / (from.w - to.w);
  for (double t = 0; t < 60; ++t) {
    const CropAt a = g.at(t), b = g.at(t + 1);
    EXPECT_NEAR(b.w / a.w, std::pow(0.25, 1.0 / 60), 1e-9);
    EXPECT_NEAR(a.x + u * a.w, from.x + u * from.w, 1e-9);
    EXPECT_NEAR(a.y + v * a.w, from.y + v * from.w, 1e-9);
  }
}

TEST(Glide, BeginsAndEndsAtRestOrEvenlyAndItsSpeedDoesNotJump) {
  const CropAt a{0, 0.1, 0.8, 0}, b{0.2, 0.1, 0.8, 0}, c{0.3, 0.2, 0.5, 0};
  const Glide rests = glide({{0, a, Easing::eased}, {100, b, Easing::eased}});
  EXPECT_LT(rests.at(1).x, 0.02 * 0.2 / 10);
  EXPECT_GT(rests.speed(50), 1.4 * 0.25 / 100);
  const Glide even = glide({{0, a}, {100, b}});
  for (double t = 0; t < 100; ++t) EXPECT_NEAR(even.at(t + 1).x - even.at(t).x, 0.002, 1e-12);
  EXPECT_NEAR(even.speed(30), 0.25 / 100, 1e-9) << "a quarter of the crop's width";
  // Through a key frame at which a pan becomes a push.
  const Glide turns = glide({{0, a}, {50, b}, {100, c}});
  EXPECT_NEAR(turns.speed(49.5), turns.speed(50.5), 0.04 * turns.speed(50));
  const Glide stands = glide({{0, a}, {50, a}, {100, b}});
  EXPECT_EQ(stands.at(25), a);
  EXPECT_LT(stands.speed(20), 1e-6);
}

// ---

std::vector<double> all_count(std::size_t n) { return std::vector<double>(n, 1); }

TEST(SteadyPath, HoldsStillMidwayAndKeepsASlowDriftToAHundredth) {
  std::mt19937 random(5);
  std::normal_distribution<double> normal;
  std::vector<Similarity> moves;
  for (int i = 0; i < 180; ++i)  // 200 of 1500 pixels
    moves.push_back({(200.0 * i / 179 + 2 * normal(random)) / 1500, 2 * normal(random) / 1500,
                     0.1 * kDegree * normal(random), 0});
  const auto still = steady_path(moves, all_count(180), Steadying::hold, 60);
  for (const Similarity& s : still) EXPECT_EQ(s, still.front());
  EXPECT_NEAR(still.front().dx * 1500, 100, 6);
  const auto drift = steady_path(moves, all_count(180), Steadying::drift, 60);
  EXPECT_NEAR((drift[150].dx - drift[30].dx) * 1500, 120 * 200.0 / 179, 1.2);
  for (std::size_t i = 1; i < 180; ++i) {
    EXPECT_LT(std::fabs(drift[i].dx - drift[i - 1].dx) * 1500, 1.6) << i;
    EXPECT_LT(std::fabs(drift[i].angle - drift[i - 1].angle), 0.01 * kDegree) << i;
  }
  EXPECT_TRUE(find_bumps(moves, all_count(180)).empty());
}

TEST(SteadyPath, ABumpGoesWhollyAndAPanDoesNot) {
  std::mt19937 random(6);
  std::normal_distribution<double> normal;
  std::vector<Similarity> moves;
  for (int i = 0; i < 120; ++i)
    moves.push_back({((i >= 77 ? 12 : 0) + 0.8 * normal(random)) / 1500,
                     ((i >= 77 ? -5 : 0) + 0.8 * normal(random)) / 1500, 0, 0});
  EXPECT_EQ(find_bumps(moves, all_count(120)), std::vector<int>{77});
  const auto path = steady_path(moves, all_count(120), Steadying::drift, 20);
  for (std::size_t i = 60; i < 95; ++i)
    EXPECT_LT(std::fabs(path[i].dx - path[i - 1].dx) * 1500, 0.4) << i;
  // The same way in a tenth of a second is a pan.
  for (int i = 0; i < 120; ++i)
    moves[static_cast<std::size_t>(i)].dx =
        (12 * std::clamp((i - 70) / 14.0, 0.0, 1.0) + 0.3 * normal(random)) / 1500;
  for (int i = 0; i < 120; ++i) moves[static_cast<std::size_t>(i)].dy = 0;
  EXPECT_TRUE(find_bumps(moves, all_count(120)).empty());
  // A frame that is shoved and comes back is no bump, and takes the path along by next to nothing.
  auto calm = std::vector<Similarity>(120);
  for (auto& m : calm) m.dx = 0.2 * normal(random) / 1500;
  calm[50].dx = 30.0 / 1500;
  EXPECT_TRUE(find_bumps(calm, all_count(120)).empty());
  const auto shoved = steady_path(calm, all_count(120), Steadying::drift, 20);
  EXPECT_LT(std::fabs(shoved[50].dx - shoved[40].dx) * 1500, 0.3);
}

TEST(SteadyPath, FramesThatTheFilmDoesNotHaveSayNothing) {
  std::vector<Similarity> moves(40);
  for (std::size_t i = 0; i < 40; ++i) moves[i].dx = 1e-4 * static_cast<double>(i);
  auto counts = all_count(40);
  moves[20].dx = 5, counts[20] = 0;
  const auto path = steady_path(moves, counts, Steadying::drift, 20);
  for (std::size_t i = 1; i < 40; ++i) EXPECT_LT(std::fabs(path[i].dx - path[i - 1].dx), 3e-4);
}

// ---

// Frames that are not on any disk.
Shoot made_up(int frames, Size size = {1500, 1000}) {
  Shoot s;
  for (int i = 0; i < frames; ++i) {
    FrameInfo f;
    f.file = "f" + std::to_string(i);
    f.size = size;
    f.time = 1e9 + 20 * i;
    f.id = static_cast<FrameId>(i);
    s.sequence.frames.push_back(f);
    s.sequence.places.push_back(i);
  }
  s.sequence.size = size;
  return s;
}

void shake(Shoot& s, const std::function<Similarity(int)>& move) {
  MotionTrack track;
  for (int i = 0; i < s.frame_count(); ++i) track.frames.push_back({move(i), true});
  s.motion = std::make_shared<const MotionTrack>(track);
}

void expect_within(const Placement& p) {
  for (double u : {0.0, 1.0})
    for (double v : {0.0, 1.0}) {
      const Point at = p.at(u, v);
      EXPECT_GE(at.x, -1e-9);
      EXPECT_LE(at.x, 1 + 1e-9);
      EXPECT_GE(at.y, -1e-9);
      EXPECT_LE(at.y, 1 + 1e-9);
    }
}

TEST(Framing, StraighteningShrinksTheCropJustAsFarAsNoCornerIsEmpty) {
  Shoot s = made_up(3);
  s.decisions.framing.straighten = 3;
  const FramingCourse course(s);
  const Placement p = course.film(1, output_size(s));
  expect_within(p);
  // Of a turned rectangle in its own frame the height decides: h = k (h cos a + w sin a).
  const double k = 1 / (std::cos(3 * kDegree) + 1.5 * std::sin(3 * kDegree));
  EXPECT_NEAR(course.fit(), k, 1e-9);
  EXPECT_NEAR(std::atan2(p.right.y * 1000, p.right.x * 1500) / kDegree, 3, 1e-9);
  EXPECT_NE(fit_note(course).find("for the turn"), std::string::npos);
  EXPECT_EQ(output_size(s),
            (Size{static_cast<int>(1500 * k) / 2 * 2, static_cast<int>(1000 * k) / 2 * 2}));
  // With room around nothing is lost.
  s.decisions.framing.crop = {0.2, 0.2, 0.6, 0.6};
  EXPECT_EQ(FramingCourse(s).fit(), 1);
  EXPECT_EQ(fit_note(FramingCourse(s)), "");
}

TEST(Framing, ALineAlongWhatShouldBeLevelSaysHowItLeans) {
  const Shoot s = made_up(2);
  EXPECT_NEAR(lean_of(s, {0.2, 0.5}, {0.8, 0.5 + 0.6 * 1.5 * std::tan(2 * kDegree)}), 2, 1e-9);
  EXPECT_NEAR(lean_of(s, {0.8, 0.5}, {0.2, 0.5 - 0.6 * 1.5 * std::tan(2 * kDegree)}), 2, 1e-9);
  EXPECT_NEAR(lean_of(s, {0.5, 0.9}, {0.5 + 0.8 / 1.5 * std::tan(1 * kDegree), 0.1}), 1, 1e-9)
      << "a mast";
}

// What of the scene lies in the middle of the film, and how it is turned, is the same on all
// frames.
TEST(Framing, HeldStillTheSceneStandsAndNoBorderShows) {
  Shoot s = made_up(50);
  std::mt19937 random(8);
  std::normal_distribution<double> normal;
  std::vector<Similarity> moves;
  for (int i = 0; i < 50; ++i)
    moves.push_back({(3 * normal(random) + (i > 30 ? 12 : 0)) / 1500, 3 * normal(random) / 1500,
                     0.2 * kDegree * normal(random), 0.0005 * normal(random)});
  shake(s, [&](int i) { return moves[static_cast<std::size_t>(i)]; });
  s.decisions.framing.straighten = 1;
  s.decisions.framing.steady.how = Steadying::hold;
  const FramingCourse course(s);
  EXPECT_LT(course.fit(), 0.97);
  EXPECT_LT(course.fit(), course.fit_for_turn());
  EXPECT_GT(course.fit(), 0.93);
  EXPECT_NE(fit_note(course).find("the rest for steadying"), std::string::npos);
  for (double u : {0.1, 0.5, 0.9})
    for (double v : {0.2, 0.8}) {
      Offset first;
      for (int i = 0; i < 50; ++i) {
        const Placement p = course.film(i, {300, 200});
        expect_within(p);
        const Point at = p.at(u, v);
        const Offset scene =
            moved(inverse(moves[static_cast<std::size_t>(i)]), {at.x - 0.5, (at.y - 0.5) / 1.5});
        if (i == 0) first = scene;
        EXPECT_NEAR(scene.x, first.x, 1e-9);
        EXPECT_NEAR(scene.y, first.y, 1e-9);
      }
    }
  s.decisions.framing.steady.how = Steadying::off;
  EXPECT_FALSE(FramingCourse(s).steadied());
}

TEST(Framing, AMovementThatLeavesNothingStillShowsNoBorder) {
  Shoot s = made_up(20);
  shake(s, [](int i) { return Similarity{0.08 * i, 0, 0, 0}; });
  s.decisions.framing.steady.how = Steadying::hold;
  const FramingCourse course(s);
  for (int i = 0; i < 20; ++i) expect_within(course.film(i, {300, 200}));
}

// A film of an odd frame leaves a row out; one that glides lies evenly from its first frame on.
TEST(Framing, AGlideFromAllOfAnOddFrameDoesNotJump) {
  Shoot s = made_up(30, {1501, 1001});
  const Placement whole = FramingCourse(s).film(0, {1500, 1000});
  EXPECT_EQ(whole.corner.x, 0);
  EXPECT_NEAR(whole.right.x * 1501, 1500, 1e-9);
  for (const auto& [frame, width] : {std::pair{0, 1.0}, {29, 0.5}}) {
    Values& v = s.decisions.framing.glide.at(s.sequence.id_of(frame), presets(kGlide)).values;
    v[Param::crop_x] = v[Param::crop_y] = 0.5 * (1 - width), v[Param::crop_w] = width;
  }
  const FramingCourse course(s);
  for (int i = 0; i < 30; ++i) {
    const Point middle = course.film(i, {1500, 1000}).at(0.5, 0.5);
    EXPECT_NEAR(middle.x * 1501, 750.5, 0.01) << i;
    EXPECT_NEAR(middle.y * 1001, 500.5, 0.01) << i;
  }
}

TEST(Framing, AGlideGoesEvenlyOverTheFilmWhateverIsSetAside) {
  Shoot s = made_up(60);
  auto& glide = s.decisions.framing.glide;
  for (const auto& [frame, x] : {std::pair{0, 0.0}, {59, 0.4}}) {
    Values& v = glide.at(s.sequence.id_of(frame), presets(kGlide)).values;
    v[Param::crop_x] = x, v[Param::crop_w] = 0.5;
  }
  std::vector<int> aside;
  for (int i = 10; i < 30; ++i) aside.push_back(i);
  set_aside(s, aside, true);  // the film closes up there
  const FramingCourse course(s);
  const auto film = film_frames(s);
  ASSERT_EQ(film.size(), 40u);
  for (std::size_t k = 0; k < film.size(); ++k)
    EXPECT_NEAR(course.film(film[k].frame, {300, 200}).corner.x, 0.4 * static_cast<double>(k) / 39,
                1e-6);
  // Where it glides, a still crop of the same place is the same picture.
  const Placement moving = course.film(45, {300, 200});
  Shoot still = s;
  still.decisions.framing.glide.keys.clear();
  still.decisions.framing.crop = {moving.corner.x, moving.corner.y, 0.5, 0.5};
  const Placement same = FramingCourse(still).film(45, {300, 200});
  EXPECT_NEAR(same.corner.x, moving.corner.x, 1e-12);
  EXPECT_NEAR(same.right.x, moving.right.x, 1e-12);
  EXPECT_NEAR(same.down.y, moving.down.y, 1e-12);
}

// The pictures themselves: what the glide shows is what a crop that stands there shows.
TEST(Framing, AGlideShowsWhatStillCropsShow) {
  TempDir dir;
  auto planned = [&](const std::string& framing) {
    const std::string file = (dir / "a.tsukimi").string();
    EXPECT_EQ(test::run("plan --overwrite " + test::shot_folder().string() + " --out " + file +
                        " " + framing)
                  .code,
              0);
    return *open_shoot(file);
  };
  auto seen = [](const Shoot& s, int frame) {
    const Courses c = courses_of(s);
    const FilmFrame at = itself(frame, c.framing.time(frame));
    return *develop_film_frame(film_recipe(s, c, {}, at, {false, {240, 160}, {240, 160}}));
  };
  const Shoot gliding =
      planned("--crop 3:2 --ease none --glide '0:0.05,0.05,0.8,0.5;10:0.3,0.2,0.6,-0.7'");
  const Courses courses = courses_of(gliding);
  for (int frame : {0, 5, 10}) {
    const CropAt at = courses.framing.crop(courses.framing.time(frame));
    if (frame == 5) {
      EXPECT_LT(std::fabs(at.w - 0.7), 0.05) << "between the two";
    }
    std::ostringstream still;
    still.precision(12);
    still << "--crop " << at.x << "," << at.y << "," << at.w << "," << at.w << " --straighten "
          << at.angle;
    const Image moving = seen(gliding, frame), standing = seen(planned(still.str()), frame);
    for (int c = 0; c < 3; ++c)
      for (std::size_t i = 0; i < moving.planes[c].data.size(); ++i)
        ASSERT_NEAR(moving.planes[c].data[i], standing.planes[c].data[i], 1e-4) << frame;
  }
}

TEST(Framing, TheSizeIsThatOfTheSmallestCropUnlessAnotherIsAskedFor) {
  Shoot s = made_up(10);
  propose_glide(s, GlideKind::push_in);
  EXPECT_EQ(output_size(s), (Size{1200, 800}));
  EXPECT_EQ(enlarged_note(s, {1200, 800}), "");
  EXPECT_NE(enlarged_note(s, {1500, 1000}), "");
  EXPECT_EQ(FramingCourse(s).crop(0), (CropAt{0, 0, 1, 0}));
  const CropAt end = FramingCourse(s).crop(9);
  EXPECT_NEAR(end.x, 0.1, 1e-12);
  EXPECT_NEAR(end.w, 0.8, 1e-12);
  propose_glide(s, GlideKind::pan_left);
  EXPECT_GT(FramingCourse(s).crop(0).x, FramingCourse(s).crop(9).x);
  for (int i = 0; i < 10; ++i) expect_within(FramingCourse(s).film(i, {300, 200}));
}

// Of another shape than the crop, a picture is cut evenly: its middle is the crop's.
TEST(Framing, APictureOfAnotherShapeIsCentred) {
  Shoot s = made_up(4);
  for (const Rect& crop : {Rect{0.1, 0.3, 0.5, 0.4}, Rect{0.55, 0.05, 0.4, 0.9}, Rect{0, 0, 1, 1}})
    for (double straighten : {0.0, 4.0})
      for (Size size : {Size{400, 100}, Size{100, 400}, Size{300, 300}, Size{640, 360}}) {
        s.decisions.framing.crop = crop;
        s.decisions.framing.straighten = straighten;
        const Placement p = FramingCourse(s).film(2, size);
        const Point middle = p.at(0.5, 0.5);
        EXPECT_NEAR(middle.x, crop.x + crop.w / 2, 1e-9) << size.width << " " << straighten;
        EXPECT_NEAR(middle.y, crop.y + crop.h / 2, 1e-9) << size.width << " " << straighten;
        expect_within(p);
      }
}

TEST(Framing, ChangesOfTheCropStayInTheFrame) {
  Shoot s = made_up(10);
  set_shape(s, "16:9");
  EXPECT_NEAR(shape_of_crop(s), 16.0 / 9, 1e-9);
  set_crop(s, 0, {0.9, -0.5, 0.5, 0});
  EXPECT_NEAR(s.decisions.framing.crop.x, 0.5, 1e-12);
  EXPECT_NEAR(s.decisions.framing.crop.y, 0, 1e-12);
  EXPECT_NEAR(shape_of_crop(s), 16.0 / 9, 1e-9);
  set_shape(s, "");
  set_crop(s, 0, {0.2, 0.3, 0.5, 0}, 0.6);
  EXPECT_EQ(s.decisions.framing.crop, (Rect{0.2, 0.3, 0.5, 0.6}));
  // With a glide it makes a key frame there; the last one taken away leaves the crop there.
  propose_glide(s, GlideKind::push_in);
  set_crop(s, 4, {0.1, 0.1, 0.3, 0});
  EXPECT_TRUE(has_key(s, 4, {kGlide}));
  set_value(s, Setting(Param::crop_w), 4, 0.9);
  const CropAt c = FramingCourse(s).crop(4);
  EXPECT_LE(c.y + c.w * s.decisions.framing.crop.h / s.decisions.framing.crop.w, 1 + 1e-9);
  EXPECT_NEAR(c.x + c.w / 2, 0.25, 0.2);
  set_shape(s, "1:1");
  for (int i = 0; i < 10; ++i) expect_within(FramingCourse(s).film(i, {200, 200}));
  end_glide(s, 9);
  EXPECT_TRUE(s.decisions.framing.glide.keys.empty());
  EXPECT_NEAR(shape_of_crop(s), 1, 1e-9);
}

TEST(Framing, IsKeptInTheFileAndDamageIsNamed) {
  TempDir dir;
  auto opened = start_shoot(*scan_folder(test::shot_folder()));
  ASSERT_TRUE(opened);
  Shoot s = *opened;
  Framing& f = s.decisions.framing;
  set_shape(s, "2.39:1");
  f.straighten = -1.25;
  propose_glide(s, GlideKind::pan_right);
  f.steady = {Steadying::drift, 45, {{0.1, 0.2, 0.3, 0.4}}};
  const fs::path file = dir / "a.tsukimi";
  ASSERT_TRUE(save_shoot(s, file));
  const auto back = open_shoot(file);
  ASSERT_TRUE(back) << back.error().message;
  EXPECT_EQ(back->decisions, s.decisions);
  std::ifstream in(file);
  const auto whole = nlohmann::json::parse(in);
  auto refused = [&](const std::function<void(nlohmann::json&)>& damage, const char* word) {
    auto j = whole;
    damage(j["decisions"]["framing"]);
    std::ofstream(dir / "b.tsukimi") << j.dump();
    const auto r = open_shoot(dir / "b.tsukimi");
    ASSERT_FALSE(r) << word;
    EXPECT_NE(r.error().message.find(word), std::string::npos) << r.error().message;
  };
  refused([](auto& j) { j["straighten"] = 60; }, "straighten");
  refused([](auto& j) { j["glide"][0]["w"] = 0; }, "glide[0].w");
  refused([](auto& j) { j["glide"][0].erase("x"); }, "glide[0].x");
  refused([](auto& j) { j["glide"][0]["speed"] = 1; }, "speed");
  refused([](auto& j) { j["glide"][1]["frame"] = 400; }, "frame");
  refused([](auto& j) { j["steady"]["how"] = "glue"; }, "how");
  refused([](auto& j) { j["steady"]["period"] = 1; }, "period");
  refused([](auto& j) { j["steady"]["areas"][0] = {0.9, 0, 0.5, 0.5}; }, "areas");
}

TEST(Framing, ByTheCommandLine) {
  TempDir dir;
  const std::string plan = "plan --overwrite " + test::shot_folder().string() + " --out " +
                           (dir / "a.tsukimi").string() + " ";
  ASSERT_EQ(test::run(plan + "--crop 16:9 --straighten -0.5 --steady drift:40 --ease none --glide "
                             "'0:0,0.05,0.8;11:0.2,0.1,0.5,2'")
                .code,
            0);
  auto s = open_shoot(dir / "a.tsukimi");
  ASSERT_TRUE(s);
  const Framing& f = s->decisions.framing;
  EXPECT_EQ(f.aspect, "16:9");
  EXPECT_EQ(f.straighten, -0.5);
  EXPECT_EQ(f.steady, (SteadySettings{Steadying::drift, 40, {}}));
  ASSERT_EQ(f.glide.keys.size(), 2u);
  EXPECT_EQ(f.glide.keys[0].easing, Easing::smooth);
  EXPECT_EQ(FramingCourse(*s).crop(11), (CropAt{0.2, 0.1, 0.5, 2}));
  ASSERT_EQ(test::run(plan + "--crop 0.1,0.2,0.5,0.4 --steady hold").code, 0);
  s = open_shoot(dir / "a.tsukimi");
  EXPECT_EQ(s->decisions.framing.crop, (Rect{0.1, 0.2, 0.5, 0.4}));
  EXPECT_EQ(s->decisions.framing.steady.how, Steadying::hold);
  ASSERT_EQ(test::run(plan + "--glide pan-left --steady hold --follow-area 0.1,0.2,0.3,0.4 "
                             "--follow-area 0.6,0.2,0.2,0.2")
                .code,
            0);
  s = open_shoot(dir / "a.tsukimi");
  EXPECT_EQ(s->decisions.framing.steady.areas.size(), 2u);
  ASSERT_EQ(s->decisions.framing.glide.keys.size(), 2u);
  EXPECT_EQ(s->decisions.framing.glide.keys[0].easing, Easing::eased);
  EXPECT_GT(FramingCourse(*s).crop(0).x, FramingCourse(*s).crop(11).x);
  for (const char* wrong :
       {"--crop 0.6,0,0.5,0.5", "--crop wide", "--glide 0:0,0", "--glide 0:a,0,1",
        "--glide x:0,0,1", "--glide 0:0,0,1,2,3", "--steady glue", "--steady drift:1",
        "--straighten 50", "--ease sometimes", "--glide push", "--follow-area 1,2"})
    EXPECT_EQ(test::run(plan + wrong).code, 2) << wrong;
  for (const char* wrong : {"--glide 99:0,0,1", "--glide 0:0.5,0,0.8", "--glide 0:0,0.9,0.8",
                            "--glide '0:0,0,1;0:0,0,0.5'", "--glide 0:0,0,0.5,80"}) {
    const auto r = test::run(plan + wrong);
    EXPECT_EQ(r.code, 1) << wrong;
    test::expect_one_line(r, "--glide");
  }
}

// ---

// How wide the edge is from a tenth to nine tenths, along the rows, in pixels: by the middle of
// them.
double edge_width(const Image& picture) {
  std::vector<double> widths;
  for (int y = picture.height / 4; y < 3 * picture.height / 4; ++y) {
    const float* row = picture.planes[1].row(y);
    auto crossing = [&](float level) {
      for (int x = 1; x < picture.width; ++x)
        if (row[x] >= level && row[x - 1] < level)
          return x - 1 + static_cast<double>((level - row[x - 1]) / (row[x] - row[x - 1]));
      return -1.0;
    };
    const double a = crossing(0.18f), b = crossing(0.82f);
    if (a >= 0 && b >= 0) widths.push_back(b - a);
  }
  std::ranges::sort(widths);
  return widths.empty() ? 0 : widths[widths.size() / 2];
}

// A slanted edge as an optic draws it.
Image edge(Size size) {
  Image out(size.width, size.height);
  for (auto& plane : out.planes)
    for (int y = 0; y < size.height; ++y)
      for (int x = 0; x < size.width; ++x)
        plane.at(x, y) = static_cast<float>(
            0.1 + 0.8 * 0.5 * (1 + std::erf((x - size.width / 2.0 - 0.1 * y) / 1.2)));
  return out;
}

TEST(Framing, OneResamplingIsAsSharpAsNone) {
  constexpr Size kSize{600, 400};
  Shoot s = made_up(2, kSize);
  const Image frame = edge(kSize);
  auto width_of = [&](const Similarity& move, double straighten) {
    shake(s, [&](int i) { return i == 0 ? move : inverse(move); });
    s.decisions.framing = {};
    s.decisions.framing.straighten = straighten;
    s.decisions.framing.crop = {0.2, 0.2, 0.6, 0.6};
    s.decisions.framing.steady.how = Steadying::hold;
    PictureRecipe r;
    r.look = neutral_look(5500, 0);
    r.placement = FramingCourse(s).film(0, {360, 240});
    const Image out = needs_mesh(r) ? warp(frame, placing(r, kSize, 1), {360, 240})
                                    : resample(frame, r.placement.part(), {360, 240});
    return edge_width(out);
  };
  const double plain = width_of({}, 0);
  EXPECT_GT(plain, 1);
  for (double by : {0.1, 0.25, 0.5, 0.75})
    EXPECT_NEAR(width_of({by / 600, by / 900, 0, 0}, 0) / plain, 1, 0.03) << by;
  EXPECT_NEAR(width_of({0.4 / 600, 0.3 / 600, 0.3 * kDegree, 0}, 0.4) / plain, 1, 0.03);
}

// A simulated shoot on a tripod in the wind, through the program: what a steadied film leaves of
// it.
class Steadied : public testing::Test {
 protected:
  TempDir dir;
  struct Left {
    double rms = 0, worst = 0, drift = 0;  // pixels; from first to last, less what it should be
    int at = 0;                            // where it is worst
  };
  // Where a place of the scene lies in the film from frame to frame, by the truth.
  static Left left_of(const Shoot& s, const nlohmann::json& truth, double drift) {
    const Courses courses = courses_of(s);
    const double w = s.sequence.size.width, h = s.sequence.size.height;
    Left out;
    for (const Offset& scene : {Offset{0, 0}, {-0.3 * w, -0.05 * h}, {0.3 * w, -0.1 * h}}) {
      std::vector<Offset> places;
      for (int i = 0; i < s.frame_count(); ++i) {
        const auto& shot = truth[static_cast<std::size_t>(i)];
        const double a = -shot["turn"].get<double>() * kDegree;
        const double x = scene.x - shot["wobble"][0].get<double>(),
                     y = scene.y - shot["wobble"][1].get<double>();
        const Point on{(x * std::cos(a) - y * std::sin(a)) / w + 0.5,
                       (x * std::sin(a) + y * std::cos(a)) / h + 0.5};
        // Back through the placement: two equations.
        const Placement p = courses.framing.film(i, output_size(s));
        const double det = p.right.x * p.down.y - p.right.y * p.down.x;
        const double dx = on.x - p.corner.x, dy = on.y - p.corner.y;
        places.push_back({(dx * p.down.y - dy * p.down.x) / det * p.size.width,
                          (dy * p.right.x - dx * p.right.y) / det * p.size.height});
      }
      const double n = static_cast<double>(places.size()) - 1;
      double squares = 0;
      for (std::size_t i = 1; i < places.size(); ++i) {
        const double off = std::hypot(places[i].x - places[i - 1].x + 0.96 * drift / n,
                                      places[i].y - places[i - 1].y + 0.28 * drift / n);
        squares += off * off;
        const bool lit = truth[i]["ruined"] == true || truth[i - 1]["ruined"] == true;
        if (lit) {
          EXPECT_LT(off, 0.25) << "a frame that headlights light up, " << i;
        }
        if (!lit && off > out.worst) out.worst = off, out.at = static_cast<int>(i);
      }
      out.rms = std::max(out.rms, std::sqrt(squares / n));
      // By the means of eight at either end.
      constexpr std::size_t kEnd = 8;
      Offset went;
      for (std::size_t i = 0; i < kEnd; ++i) {
        went.x += (places[places.size() - 1 - i].x - places[i].x) / kEnd;
        went.y += (places[places.size() - 1 - i].y - places[i].y) / kEnd;
      }
      const double way = drift * (n + 1 - kEnd) / n;
      out.drift = std::max(out.drift, std::hypot(went.x + 0.96 * way, went.y + 0.28 * way));
    }
    return out;
  }
  Left run(const std::string& shaking, const std::string& steady, double drift = 0) {
    const std::string folder = (dir / "s").string(), file = (dir / "a.tsukimi").string();
    fs::remove_all(folder);
    EXPECT_EQ(test::run("simulate --frames 30 --size 960x640 --truth " + (dir / "t.json").string() +
                        " --out " + folder + " " + shaking)
                  .code,
              0);
    EXPECT_EQ(
        test::run("plan --overwrite " + folder + " --out " + file + " --steady " + steady).code, 0);
    Shoot s = *open_shoot(file);
    ProxyStore store(s.sequence.folder);
    know_motion(s, store);
    std::ifstream in(dir / "t.json");
    return left_of(s, nlohmann::json::parse(in).at("frames"), drift);
  }
};

// Headlights that light up whole frames are among them.
TEST_F(Steadied, AShakenAndKnockedTripodStandsAsIfOnRock) {
  const Left left = run("--seed 411 --wobble 4 --bump 12 --turn 0.3", "hold");
  EXPECT_LT(left.rms, 0.1);
  EXPECT_LT(left.worst, 0.15) << "frame " << left.at;
}

// They take four fifths of the contrast of half the picture: slopes are as much smaller there.
TEST_F(Steadied, HeadlightsTakeContrastAndMoveNothing) {
  EXPECT_LT(run("--seed 425 --wobble 4 --bump 12 --turn 0.3", "hold").rms, 0.1);
}

TEST_F(Steadied, ASlowDriftStaysAndTheShakingGoes) {
  const Left left = run("--seed 412 --wobble 1 --bump 0 --drift 100", "drift:30", 100);
  EXPECT_LT(left.rms, 0.35) << "from frame to frame, of 3.4 that it drifts";
  EXPECT_LT(left.drift, 1.2) << "of 73 from end to end; the shaking alone moves the ends by 0.5";
}

}  // namespace
}  // namespace tsukimi
