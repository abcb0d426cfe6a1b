// SPDX-License-Identifier: GPL-3.0-or-later
// How the camera moved: pairs of pictures and whole sequences against the truth; places that
// follow.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <random>

#include "base/median.h"
#include "core/cli_runner.h"
#include "core/waves.h"
#include "document/files/shoot_file.h"
#include "document/place_keys.h"
#include "film/checks.h"
#include "film/motion.h"
#include "places/mask.h"
#include "support.h"

namespace tsukimi {
namespace {

// A structured scene as a camera sees it that moved.
// veil: light that is added, as headlights do, the more the farther to the right.
SlopedFrame seen_by(const Similarity& move, int width = 320, int height = 220, double veil = 0) {
  const test::Waves waves;
  const Similarity back = inverse(move);
  Plane stops(width, height), known(width, height);
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const Offset at = moved(back, {x + 0.5 - width / 2.0, y + 0.5 - height / 2.0});
      const double light = std::exp2(waves.stops(at.x, at.y)) + veil * x / width;
      stops.at(x, y) = static_cast<float>(std::log2(light));
      known.at(x, y) = 1;
    }
  return slope_frame(stops, known);
}

TEST(Motion, SimilaritiesGoOneAfterTheOtherAndBack) {
  const Similarity a{3, -2, 0.2, 0.1}, b{-1, 4, -0.5, 0.3};
  const Offset p{5, 7}, one = moved(b, moved(a, p)), both = moved(then(a, b), p);
  EXPECT_NEAR(one.x, both.x, 1e-12);
  EXPECT_NEAR(one.y, both.y, 1e-12);
  const Offset there = moved(inverse(a), moved(a, p));
  EXPECT_NEAR(there.x, p.x, 1e-12);
  EXPECT_NEAR(there.y, p.y, 1e-12);
}

TEST(Motion, APairIsMeasuredToThousandths) {
  const SlopedFrame a = seen_by({});
  for (const Similarity& truth :
       {Similarity{0.3, -0.4, 0, 0}, Similarity{0.2, 0.1, 0.005, 0},
        Similarity{-0.5, 0.6, -0.003, 0.004}, Similarity{0.4, 0.2, 0.02, -0.01}}) {
    const auto found = measure_similarity(a, seen_by(truth), {});
    ASSERT_TRUE(found.known);
    EXPECT_NEAR(found.move.dx, truth.dx, 0.004);
    EXPECT_NEAR(found.move.dy, truth.dy, 0.004);
    EXPECT_NEAR(found.move.angle, truth.angle, 4e-5);
    EXPECT_NEAR(found.move.log_scale, truth.log_scale, 4e-5);
  }
}

TEST(Motion, AVeilOfLightMovesNothing) {
  const Similarity truth{0.6, -0.3, 0.002, 0};
  const auto found = measure_similarity(seen_by({}), seen_by(truth, 320, 220, 1.5), {});
  ASSERT_TRUE(found.known);
  EXPECT_NEAR(found.move.dx, truth.dx, 0.03);
  EXPECT_NEAR(found.move.dy, truth.dy, 0.03);
  EXPECT_NEAR(found.move.angle, truth.angle, 2e-4);
}

TEST(Motion, ATrackIsSolvedJointlyAndNoPairCanMakeAFrameJump) {
  std::mt19937 random(3);
  std::normal_distribution<double> normal;
  std::vector<Similarity> truth{{}};
  for (int i = 1; i < 60; ++i)
    truth.push_back({0.01 * normal(random) + 0.001 * i, 0.01 * normal(random),
                     0.002 * normal(random), 0.001 * normal(random)});
  std::vector<MotionPair> pairs;
  for (int k = 0; k < 60; ++k)
    for (int apart : {1, 2, 4}) {
      if (k < apart || k == 25 || k - apart == 25) continue;  // 25 is not known
      MotionPair p{k - apart, k,
                   then(inverse(truth[static_cast<std::size_t>(k - apart)]),
                        truth[static_cast<std::size_t>(k)]),
                   2e-5};
      if (k == 40 && apart == 1) p.move.dx += 0.02;  // a ferry
      pairs.push_back(p);
    }
  const MotionTrack track = solve_track(60, pairs);
  for (std::size_t k = 0; k < 60; ++k) {
    EXPECT_EQ(track.frames[k].known, k != 25) << k;
    if (k == 25) continue;
    EXPECT_NEAR(track.frames[k].move.dx, truth[k].dx, 2e-4) << k;
    EXPECT_NEAR(track.frames[k].move.dy, truth[k].dy, 2e-4) << k;
    EXPECT_NEAR(track.frames[k].move.angle, truth[k].angle, 2e-4) << k;
  }
}

// The simulated tripod: from frame to frame to a few hundredths of a pixel, whatever clouds and
// water do. A ferry under way and frames that a car lights up are in it.
// What adds up from frame to frame goes; how each shook against its neighbour stays.
TEST(Track, FarFramesTakeOutWhatAddsUp) {
  const int count = 161, every = 16;
  MotionTrack near, far;
  auto shaken = [](int k) { return 0.002 * std::sin(2.3 * k); };
  for (int k = 0; k < count; ++k) {
    near.frames.push_back({{shaken(k) + 1e-5 * k, 0, 2e-5 * k, 1e-5 * k}, true});
    if (k % every == 0) far.frames.push_back({{shaken(k) - shaken(0), 0, 0, 0}, true});
  }
  far.frames[4] = {{0.5, 0.5, 0.5, 0.5}, false};  // one that could not be compared
  const MotionTrack track = with_far(near, far, every);
  ASSERT_EQ(track.frames.size(), near.frames.size());
  for (std::size_t k = 0; k < track.frames.size(); ++k) {
    const Similarity& move = track.frames[k].move;
    const int i = static_cast<int>(k);
    EXPECT_NEAR(move.dx, shaken(i) - shaken(0), 2e-5) << k;
    EXPECT_NEAR(move.angle, 0, 2e-5) << k;
    EXPECT_NEAR(move.log_scale, 0, 1e-5) << k;
    if (k == 0) continue;
    EXPECT_NEAR(move.dx - track.frames[k - 1].move.dx, shaken(i) - shaken(i - 1), 2e-5) << k;
  }
}

// A slider goes past: what lies lower is nearer and goes farther. near: by how much at the lower
// border.
MotionTrack past(double near) {
  constexpr int kWide = 320, kHigh = 220, kFrames = 9;
  const test::Waves waves;
  std::vector<SlopedFrame> frames;
  for (int k = 0; k < kFrames; ++k) {
    Plane stops(kWide, kHigh), known(kWide, kHigh);
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x) {
        const double gone = k * (0.5 + near * y / kHigh);
        stops.at(x, y) = static_cast<float>(waves.stops(x + gone - kWide / 2.0, y - kHigh / 2.0));
        known.at(x, y) = 1;
      }
    frames.push_back(slope_frame(stops, known));
  }
  std::vector<MotionPair> pairs;
  for (int k = 0; k < kFrames; ++k)
    for (int apart : {1, 2, 4}) {
      if (k < apart) continue;
      const auto& a = frames[static_cast<std::size_t>(k - apart)];
      const auto m = measure_similarity(a, frames[static_cast<std::size_t>(k)],
                                        {-apart * (0.5 + 0.5 * near), 0, true});
      if (!m.known) continue;
      const double per = 1.0 / kWide;
      pairs.push_back({k - apart,
                       k,
                       {m.move.dx * per, m.move.dy * per, m.move.angle, m.move.log_scale},
                       m.doubt * per});
    }
  return solve_track(kFrames, pairs);
}

TEST(Track, NearAndFarThatMoveDifferentlyDoNotFit) {
  EXPECT_TRUE(does_not_fit(past(0.5).fit));
  EXPECT_FALSE(does_not_fit(past(0).fit)) << "all of it moves as one";
}

// A long evening: the camera neither turns nor comes nearer by a pixel, however many frames there
// are.
TEST(Track, ALongShootNeitherTurnsNorGrows) {
  TempDir dir;
  ASSERT_EQ(
      test::run("simulate --frames 300 --interval 5 --size 300x200 --seed 951 --no-ruined --out " +
                (dir / "s").string())
          .code,
      0);
  const Shoot shoot = *start_shoot(*scan_folder(dir / "s"));
  ProxyStore store(shoot.sequence.folder);
  const MotionTrack track = measure_motion(shoot, store);
  for (std::size_t k = 0; k < track.frames.size(); ++k) {
    EXPECT_NEAR(track.frames[k].move.log_scale, 0, 0.005) << k;
    EXPECT_NEAR(track.frames[k].move.angle, 0, 0.006) << k;
  }
}

class MotionOfAShoot : public testing::Test {
 protected:
  TempDir dir;
  void SetUp() override {
    ASSERT_EQ(test::run("simulate --frames 24 --size 960x640 --seed 31 --truth " +
                        (dir / "t.json").string() + " --out " + (dir / "s").string())
                  .code,
              0);
  }
};

TEST_F(MotionOfAShoot, TheWobbleIsFound) {
  ASSERT_EQ(
      test::run("plan " + (dir / "s").string() + " --out " + (dir / "a.tsukimi").string()).code, 0);
  const auto r = test::run("measure " + (dir / "a.tsukimi").string() + " --json");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto motion = nlohmann::json::parse(r.out).at("motion");
  std::ifstream file(dir / "t.json");
  const auto truth = nlohmann::json::parse(file).at("frames");
  ASSERT_EQ(motion.size(), 24u);
  std::vector<double> off;
  for (std::size_t k = 1; k < 24; ++k) {
    if (truth[k]["ruined"] == true || truth[k - 1]["ruined"] == true) continue;
    auto error = [&](const char* along, int axis) {
      const double here = truth[k]["wobble"][axis], before = truth[k - 1]["wobble"][axis];
      return motion[k][along].get<double>() - motion[k - 1][along].get<double>() - (before - here);
    };
    off.push_back(std::hypot(error("dx", 0), error("dy", 1)));
    EXPECT_LT(std::fabs(motion[k]["angle"].get<double>()), 0.02);
  }
  EXPECT_LT(median(off), 0.03);
  EXPECT_LT(*std::ranges::max_element(off), 0.2);
}

// An evening goes on between frames that are far apart: that is no turn.
TEST(Track, ATripodThatDoesNotTurnIsNotTurned) {
  test::TempDir dir;
  sim::SimulateOptions o;
  o.camera.frames = 120;
  o.camera.seed = 831;
  o.camera.shaking = 1;
  o.camera.bump = 4;
  o.size = {480, 320};
  o.folder = dir.path();
  ASSERT_TRUE(sim::simulate(o));
  const Shoot s = *start_shoot(make_sequence(*read_folder(dir.path()), {}));
  ProxyStore store(s.sequence.folder);
  for (const FrameMotion& f : measure_motion(s, store).frames)
    EXPECT_LT(std::fabs(f.move.angle), 1e-4);  // 0.006 degrees; it was 0.037
}

TEST_F(MotionOfAShoot, AFrameThatCannotBeReadLiesBetweenItsNeighbours) {
  std::vector<fs::path> files;
  for (const auto& entry : fs::directory_iterator(dir / "s")) files.push_back(entry.path());
  std::ranges::sort(files);
  std::ofstream(files.at(5)) << "no picture";
  const Shoot shoot = *start_shoot(*scan_folder(dir / "s"));
  int broken = -1;
  for (int i = 0; i < shoot.frame_count(); ++i)
    if (!shoot.sequence.frames[static_cast<std::size_t>(i)].usable()) broken = i;
  ASSERT_GT(broken, 0);
  ProxyStore store(shoot.sequence.folder);
  const MotionTrack track = measure_motion(shoot, store);
  ASSERT_EQ(static_cast<int>(track.frames.size()), shoot.frame_count());
  const auto i = static_cast<std::size_t>(broken);
  EXPECT_FALSE(track.frames[i].known);
  const double a = track.frames[i - 1].move.dx, b = track.frames[i + 1].move.dx;
  EXPECT_NEAR(track.frames[i].move.dx, 0.5 * (a + b), 1e-9);
  EXPECT_TRUE(track.frames[i + 1].known);
}

// A place on the lighthouse stays on it.
TEST_F(MotionOfAShoot, APlaceFollowsThePicture) {
  Shoot shoot = *start_shoot(*scan_folder(dir / "s"));
  ProxyStore store(shoot.sequence.folder);
  shoot.decisions.places = {new_place("light", ShapeKind::ellipse, FrameId{0}),
                            new_place("bank", ShapeKind::painted, FrameId{0})};
  for (LocalPlace& p : shoot.decisions.places) {
    p.values.keys[0].values[Param::place_exposure] = -1;
    p.follow = Follow::picture;
  }
  Stroke stroke{0.05, 50, 100, false, {{0.3, 0.4}, {0.6, 0.5}}};
  shoot.decisions.places[1].shapes[0].painted[0].painting = Painting({stroke});
  EXPECT_TRUE(lacks_motion(shoot));
  auto ellipse = [&](int frame) { return courses_of(shoot).places[0].at(frame)->shapes[0].values; };
  EXPECT_EQ(ellipse(7)[Param::centre_x], ellipse(0)[Param::centre_x]) << "not known yet";
  know_motion(shoot, store);
  ASSERT_TRUE(shoot.motion);
  EXPECT_FALSE(lacks_motion(shoot));
  std::ifstream file(dir / "t.json");
  const auto truth = nlohmann::json::parse(file).at("frames");
  for (int frame : {3, 7, 12}) {
    const auto& w = truth[static_cast<std::size_t>(frame)]["wobble"];
    const double dx = (truth[0]["wobble"][0].get<double>() - w[0].get<double>()) / 960,
                 dy = (truth[0]["wobble"][1].get<double>() - w[1].get<double>()) / 640;
    EXPECT_NEAR(ellipse(frame)[Param::centre_x] - ellipse(0)[Param::centre_x], dx, 0.2 / 960);
    EXPECT_NEAR(ellipse(frame)[Param::centre_y] - ellipse(0)[Param::centre_y], dy, 0.2 / 640);
    const Similarity painted = courses_of(shoot).places[1].at(frame)->shapes[0].from_key;
    EXPECT_NEAR(painted.dx, dx, 0.2 / 960);
    EXPECT_NEAR(painted.dy, dy * 640 / 960, 0.2 / 960);
  }
  // A key frame that is made there changes nothing there, nor does it at the first.
  const Values before = ellipse(7);
  add_place_key(shoot, 0, 7);
  add_place_key(shoot, 1, 7);
  for (const auto& row : kEllipse.rows()) EXPECT_NEAR(ellipse(7)[row.id], before[row.id], 1e-9);
  const ShapeAt here = courses_of(shoot).places[1].at(7)->shapes[0];
  EXPECT_EQ(here.from_key, Similarity{});
  const Point moved_to = here.painting.strokes()[0].points[0];
  EXPECT_NEAR((moved_to.x - 0.3) * 960,
              truth[0]["wobble"][0].get<double>() - truth[7]["wobble"][0].get<double>(), 0.2);
  // It is in the file, and remembered without being measured again.
  ASSERT_TRUE(save_shoot(shoot, dir / "f.tsukimi"));
  Shoot opened = *open_shoot(dir / "f.tsukimi");
  EXPECT_EQ(opened.decisions.places[0].follow, Follow::picture);
  ProxyStore nowhere(dir / "nowhere");
  know_motion(opened, nowhere);
  ASSERT_TRUE(opened.motion);
  EXPECT_EQ(opened.motion->frames, shoot.motion->frames);
  shoot.decisions.places[0] = new_place("light", ShapeKind::ellipse, FrameId{0});
  shoot.decisions.places[0].values.keys[0].values[Param::place_exposure] = -1;
  EXPECT_EQ(ellipse(3)[Param::centre_x], 0.5) << "nothing moves one that does not follow";
}

// A mask that is moved with its frame is the mask, moved.
TEST(Motion, APaintedMaskIsMoved) {
  PlaceAt place;
  ShapeAt shape;
  shape.kind = ShapeKind::painted;
  shape.painting = Painting({{0.08, 40, 100, false, {{0.4, 0.5}, {0.5, 0.45}}}});
  const Similarity by{0.1, -0.05, 0.3, 0.1};
  auto mask = [&](const ShapeAt& s) {
    place.shapes = {s};
    const Mask m(place, Placement{}, {300, 200}, {300, 200});
    Plane out(300, 200);
    for (int y = 0; y < 200; ++y) m.row(y, {}, out.row(y));
    return out;
  };
  ShapeAt strokes = shape;
  strokes.painting = shape.painting.moved_by(by, 1.5);
  shape.from_key = by;
  const Plane a = mask(shape), b = mask(strokes);
  double most = 0, sum = 0;
  for (std::size_t i = 0; i < a.data.size(); ++i) {
    most = std::max(most, static_cast<double>(std::fabs(a.data[i] - b.data[i])));
    sum += a.data[i];
  }
  EXPECT_GT(sum, 500);
  EXPECT_LT(most, 0.03);
}

}  // namespace
}  // namespace tsukimi
