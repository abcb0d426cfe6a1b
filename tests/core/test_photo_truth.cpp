// SPDX-License-Identifier: GPL-3.0-or-later
// What is estimated, on photographs: a sky that drifts over half of the picture and more, its shade
// on the ground, wind at the tripod. Seeds and pictures other than those the code was written with.
#include "core/cli_runner.h"
#include "film/checks.h"
#include "film/film.h"
#include "film/motion.h"
#include "film/other_frames.h"
#include "find_repairs/find_repairs.h"
#include "folder/sequence.h"
#include "motion/track.h"
#include "photographs.h"
#include "places/painting.h"
#include "sim/dng_writer.h"

namespace tsukimi {
namespace {
using test::PhotoShoot;
using test::plain_evening;

// What of the movement that was measured is none: px of the frame, without a common shift.
struct Off {
  double rms = 0, worst_step = 0, turn = 0;  // turn: degrees, RMS
};
Off off_by(const MotionTrack& track, const PhotoShoot& shoot, int width) {
  const auto& frames = shoot.truth.at("frames");
  std::vector<double> x, y;
  double turn = 0;
  for (std::size_t k = 0; k < frames.size(); ++k) {
    x.push_back(track.frames[k].move.dx * width + frames[k].at("wobble")[0].get<double>());
    y.push_back(track.frames[k].move.dy * width + frames[k].at("wobble")[1].get<double>());
    turn += track.frames[k].move.angle * track.frames[k].move.angle;
  }
  const double n = static_cast<double>(x.size()), mx = std::accumulate(x.begin(), x.end(), 0.0) / n,
               my = std::accumulate(y.begin(), y.end(), 0.0) / n;
  Off out;
  for (std::size_t k = 0; k < x.size(); ++k) {
    out.rms += (x[k] - mx) * (x[k] - mx) + (y[k] - my) * (y[k] - my);
    if (k > 0)
      out.worst_step = std::max(out.worst_step, std::hypot(x[k] - x[k - 1], y[k] - y[k - 1]));
  }
  out.rms = std::sqrt(out.rms / n);
  out.turn = std::sqrt(turn / n) * 57.2958;
  return out;
}

Off measured(const PhotoShoot& shoot, int width, bool* fits = nullptr) {
  const Shoot s = *start_shoot(make_sequence(*read_folder(shoot.folder), {}));
  ProxyStore store(s.sequence.folder);
  const MotionTrack track = measure_motion(s, store);
  if (fits) *fits = !does_not_fit(track.fit);
  return off_by(track, shoot, width);
}

sim::PhotoOptions drifting(double strip, double clouds) {
  sim::PhotoOptions out;
  out.strip = strip;
  out.clouds = clouds;
  return out;
}

// Not what lay in memory before.
TEST(PhotoTruth, MovementIsTheSameHoweverOftenItIsMeasured) {
  auto o = plain_evening(30, 48, {900, 600});
  o.camera.shaking = 1.6;
  const PhotoShoot shoot("Path", "BytheWater", o, drifting(0.15, 6));
  const Shoot s = *start_shoot(make_sequence(*read_folder(shoot.folder), {}));
  ProxyStore store(s.sequence.folder);
  const MotionTrack once = measure_motion(s, store);
  EXPECT_GT(once.fit.parted, 0.1);
  spoil_new_pixels(0);
  const MotionTrack again = measure_motion(s, store);
  spoil_new_pixels();
  for (std::size_t k = 0; k < once.frames.size(); ++k) {
    EXPECT_EQ(again.frames[k].move.dx, once.frames[k].move.dx) << k;
    EXPECT_EQ(again.frames[k].move.dy, once.frames[k].move.dy) << k;
  }
}

TEST(PhotoTruthSlow, ASkyThatDriftsOverHalfOfThePictureDoesNotSteer) {
  for (const auto& [ground, sky, clouds] :
       {std::tuple{"FallenLeaf", "EveningGlow", 0.75}, {"Path", "BytheWater", 1.5}}) {
    auto o = plain_evening(60, 41, {1500, 1000});
    o.camera.shaking = 1.6;
    bool fits = false;
    const Off off = measured(PhotoShoot(ground, sky, o, drifting(0.5, clouds)), 1500, &fits);
    EXPECT_LT(off.rms, 0.08) << ground;
    EXPECT_LT(off.worst_step, 0.15) << ground;
    EXPECT_LT(off.turn, 0.01) << ground;
    EXPECT_TRUE(fits) << ground;
  }
}

TEST(PhotoTruthSlow, FastCloudsOverAStripOfGroundDoNotTakeItAlong) {
  for (const auto& [ground, sky, seed] :
       {std::tuple{"FallenLeaf", "EveningGlow", 43u}, {"Path", "BytheWater", 44u}}) {
    auto o = plain_evening(60, seed, {1500, 1000});
    o.camera.shaking = 1.6;
    const Off off = measured(PhotoShoot(ground, sky, o, drifting(0.15, 6)), 1500);
    // It went with them before: 100 px, steps of 6.
    EXPECT_LT(off.rms, 0.08) << ground;
    EXPECT_LT(off.worst_step, 0.15) << ground;
  }
}

// Boards out of focus that run along the drift: nothing there can be followed, all that can be goes
// on and on. Nor does a camera that pans leave anything behind.
TEST(PhotoTruthSlow, GroundThatIsTooSoftToBeFollowedIsNoPan) {
  auto o = plain_evening(60, 78, {1500, 1000});
  o.camera.shaking = 1.6;
  bool fits = true;
  const Off still = measured(PhotoShoot("BytheWater", "Autumn", o, drifting(0.15, 5)), 1500, &fits);
  EXPECT_LT(still.rms, 0.15);  // it went with the clouds before: 87 px
  EXPECT_FALSE(fits);          // and is said to be in doubt
  o.camera.drift = 200;
  const Off pans = measured(PhotoShoot("BytheWater", "Path", o, drifting(0.5, 0)), 1500, &fits);
  EXPECT_LT(pans.rms, 0.08);
  EXPECT_TRUE(fits);
}

// How far frames are from themselves, where an area of them is filled from frames before and after:
// RMS of light over its mean, finished and live.
std::array<double, 2> filled_is_off(const std::string& ground, const std::string& sky,
                                    double shaking) {
  auto o = plain_evening(80, 47, {900, 600});
  o.camera.shaking = shaking;
  o.camera.bump = shaking > 0 ? 4.0 : 0.0;
  o.camera.turn = shaking > 0 ? 0.1 : 0;
  auto photos = drifting(0.6, 0.75);
  photos.shade = 0;
  const PhotoShoot shoot(ground, sky, o, photos);
  // A few frames in which the evening hardly goes on.
  std::vector<int> few(12);
  std::iota(few.begin(), few.end(), 10);
  const Shoot plain = *start_shoot(make_sequence(*read_folder(shoot.folder), few));
  Shoot mended = plain;
  AreaRepair area;
  area.fill = FillFrom::time;
  area.polygon = {{0.3, 0.6}, {0.5, 0.6}, {0.5, 0.85}, {0.3, 0.85}};
  area.first = mended.sequence.id_of(5), area.last = mended.sequence.id_of(7);
  mended.decisions.repairs.push_back({{area}});
  ProxyStore store(plain.sequence.folder);
  know_motion(mended, store);
  std::array<double, 2> out{};
  for (bool live : {false, true}) {
    double sum = 0, light = 0, n = 0;
    for (int frame : {5, 6, 7}) {
      auto developed = [&](const Shoot& s) {
        const FilmRecipe recipe = film_recipe(s, courses_of(s), {}, itself(frame), View{});
        return live ? *develop_film_proxy(store, recipe) : *develop_film_frame(recipe);
      };
      const Image is = developed(mended), truth = developed(plain);
      for (int y = truth.height * 62 / 100; y < truth.height * 83 / 100; ++y)
        for (int x = truth.width * 32 / 100; x < truth.width * 48 / 100; ++x, ++n) {
          const double d = is.planes[1].at(x, y) - truth.planes[1].at(x, y);
          sum += d * d;
          light += truth.planes[1].at(x, y);
        }
    }
    out[live] = std::sqrt(sum / n) / (light / n);
  }
  return out;
}

// As good in wind as on rock; where they do not lie on each other it is 1.8 to 6.5 times as far
// off.
TEST(PhotoTruthSlow, AnAreaFilledFromOtherFramesLiesAsItsOwnDoes) {
  for (const auto& [ground, sky] :
       {std::pair{"FallenLeaf", "EveningGlow"}, {"Autumn", "BytheWater"}}) {
    const auto on_rock = filled_is_off(ground, sky, 0), in_wind = filled_is_off(ground, sky, 1.6);
    for (std::size_t live : {0, 1})
      EXPECT_LT(in_wind[live], 1.2 * on_rock[live]) << ground << (live ? " live" : " finished");
  }
}

// Of a stroke along the ground under the skyline that follows edges: how much of what lies under it
// is covered, and what spills over into the sky.
struct Followed {
  double covered = 0, spilt = 0;
};
Followed followed(const std::string& ground, const std::string& sky, double radius) {
  test::TempDir dir;
  const Size size{1200, 800};
  auto photo = [](const std::string& name) { return read_frame(test::photograph(name))->rgb; };
  const Image below = photo(ground), above = photo(sky);
  auto skyline = [&](double x) {
    return size.height * 0.45 + 25 * std::sin(x / 90) + 8 * std::sin(x / 17 + 1);
  };
  // Land in its own shade before a sky, both at the brightness that they have in such pictures.
  auto mean = [](const Image& i) {
    double sum = 0;
    for (const auto& p : i.planes)
      for (float v : p.data) sum += v;
    return sum / static_cast<double>(3 * i.planes[0].data.size());
  };
  const auto dark = static_cast<float>(0.06 / mean(below)),
             light = static_cast<float>(0.35 / mean(above));
  Image scene(size.width, size.height);
  for (std::size_t c = 0; c < 3; ++c)
    for (int y = 0; y < size.height; ++y)
      for (int x = 0; x < size.width; ++x) {
        const auto share = static_cast<float>(std::clamp(y + 0.5 - skyline(x), -0.5, 0.5) + 0.5);
        scene.planes[c].at(x, y) = share * dark * below.planes[c].at(x, y + 700) +
                                   (1 - share) * light * above.planes[c].at(x + 500, y);
      }
  sim::CameraOptions camera;
  camera.frames = 2;
  camera.dust = camera.hot_pixels = camera.wobble = camera.ruined = camera.wrong_aperture =
      camera.steps = camera.gap = camera.flicker = false;
  const auto shots = sim::plan_shots(camera, {0.0, 0.0});
  for (int i = 0; i < 2; ++i) {
    const auto& shot = shots[static_cast<std::size_t>(i)];
    const auto dng = sim::make_dng(sim::expose(scene, shot, camera), shot, {}, {});
    if (!dng || !write_file(dir / ("f_" + std::to_string(i) + ".dng"), *dng, IfExists::keep))
      throw std::runtime_error("cannot be written");
  }
  const Shoot s = *start_shoot(*scan_folder(dir.path()));
  ProxyStore store(s.sequence.folder);
  OtherFrames others(s.sequence.folder);
  const auto guide = *others.edge_guide(&store, s.sequence.frames[0]);
  Stroke stroke{radius, 40, 100, false, {}, true};
  for (int i = 0; i <= 60; ++i) {
    const double x = 0.2 + 0.6 * i / 60;
    stroke.points.push_back({x, skyline(x * size.width) / size.height + 0.6 * radius * 1.5});
  }
  const auto drawn = Painting({stroke}).coverage(1200, 1.5, guide);
  stroke.edges = false;
  const auto plain = Painting({stroke}).coverage(1200, 1.5, {});
  const double per = static_cast<double>(drawn->width) / size.width;
  double asked = 0;
  Followed out;
  for (int y = 0; y < drawn->height; ++y)
    for (int x = 0; x < drawn->width; ++x) {
      const double beyond = y / per - skyline(x / per);
      const double here = drawn->row(y)[x] / 65535.0;
      if (beyond > 3)
        asked += plain->row(y * plain->height / drawn->height)[x * plain->width / drawn->width] /
                 65535.0,
            out.covered += here;
      if (beyond < -3) out.spilt = std::max(out.spilt, here);
    }
  out.covered /= asked;
  return out;
}

TEST(PhotoTruth, StrokesThatFollowEdgesCoverGrassAndEndAtTheSkyline) {
  for (const auto& [ground, sky] : {std::pair{"OneStandsOut", "summer_1am"},
                                    {"FallenLeaf", "summer_1am"},
                                    {"Path", "Kite"},
                                    {"Autumn", "Kite"}})
    for (double radius : {0.02, 0.04, 0.08}) {
      const Followed f = followed(ground, sky, radius);
      // From 0.74 (moss) to 0.99; where every blade is an edge, from 0.04 to 0.8.
      EXPECT_GT(f.covered, 0.72) << ground << " " << radius;
      EXPECT_LT(f.spilt, 0.0005) << ground << " " << radius;
    }
}

// The simulated camera itself: what it says of itself is what it does.
TEST(PhotoTruth, TheSkyGoesAsFarAsItSaysAndTheGroundStands) {
  sim::PhotoOptions how{test::photograph("FallenLeaf"), test::photograph("EveningGlow"), 0.5, 3.25};
  how.shade = 0;
  const auto scene = sim::PhotoScene::make({300, 200}, how, 7, 10);
  ASSERT_TRUE(scene) << scene.error().message;
  const Image a = scene->render(0.1, 0), b = scene->render(0.1, 40);  // 13 px
  EXPECT_DOUBLE_EQ(scene->sky_at(40), 13);
  double sky = 0, ground = 0;
  for (int x = 20; x < 250; ++x) {
    sky = std::max(
        sky, static_cast<double>(std::fabs(a.planes[1].at(x, 20) - b.planes[1].at(x + 13, 20))));
    ground = std::max(
        ground, static_cast<double>(std::fabs(a.planes[1].at(x, 180) - b.planes[1].at(x, 180))));
  }
  EXPECT_LT(sky, 1e-5);
  EXPECT_LT(ground, 1e-6);
  EXPECT_FALSE(sim::PhotoScene::make({300, 200}, {"/no/such.jpg", how.sky}, 7, 10));
}

TEST(PhotoTruth, TheCameraWritesPicturesOfItsOwnWithOtherApertures) {
  auto o = plain_evening(6, 9, {300, 200});
  o.jpeg = true;
  o.camera.apertures = {{3, 11.0}};
  const PhotoShoot shoot("Path", "EveningGlow", o, {});
  const auto s = *start_shoot(make_sequence(*read_folder(shoot.folder), {}));
  ASSERT_EQ(s.frame_count(), 6);
  for (int i = 0; i < 6; ++i) {
    EXPECT_EQ(s.sequence.frames[static_cast<std::size_t>(i)].aperture, i < 3 ? 5.6 : 11) << i;
    EXPECT_TRUE(s.sequence.frames[static_cast<std::size_t>(i)].usable());
    EXPECT_GT(s.sequence.frames[static_cast<std::size_t>(i)].time, 0);
  }
}

// One whose source is not known yet.
Repair spot_at(const Shoot& shoot, double x, double y, double radius) {
  SpotRepair out;
  Values v = presets(kSpot);
  v[Param::spot_x] = x, v[Param::spot_y] = y, v[Param::spot_radius] = radius;
  v[Param::spot_from_x] = v[Param::spot_from_y] = std::nan("");
  out.values.keys = {{shoot.sequence.id_of(0), v}};
  return {{out}};
}

// Sky and land differ by stops, and their edge nowhere runs twice the same: what covers a spot
// there may be another edge, but it begins and ends where theirs does, and no light is made that
// neither side has.
TEST(PhotoTruth, ASpotAcrossTheSkylineHasTheLightOfBothSides) {
  constexpr int kWidth = 900, kHeight = 600, kRadius = 22;
  const auto o = plain_evening(4, 49, {kWidth, kHeight});
  const auto photos = drifting(0.5, 1);
  const PhotoShoot shoot("FallenLeaf", "EveningGlow", o, photos);
  auto scene_of = photos;
  scene_of.ground = test::photograph("FallenLeaf"), scene_of.sky = test::photograph("EveningGlow");
  const auto scene = *sim::PhotoScene::make(o.size, scene_of, 49, o.camera.interval);
  const Shoot plain = *start_shoot(make_sequence(*read_folder(shoot.folder), {}));
  ProxyStore store(plain.sequence.folder);
  auto developed = [&](const Shoot& s) {
    return *develop_film_frame(film_recipe(s, courses_of(s), {}, itself(1), View{}));
  };
  const Image truth = developed(plain);
  double squares = 0, places = 0;  // stops by which light is off
  for (int x : {180, 270, 300, 400, 540, 660, 810}) {
    const int y = static_cast<int>(scene.skyline(static_cast<float>(x)));
    Shoot mended = plain;
    mended.decisions.repairs = {spot_at(plain, (x + 0.5) / kWidth, (y + 0.5) / kHeight,
                                        static_cast<double>(kRadius) / kWidth)};
    ASSERT_TRUE(complete_repairs(mended, store));
    const Image is = developed(mended);
    // Means of nine by nine pixels.
    auto light = [](const Image& of, int px, int py) {
      float sum = 0;
      for (int j = -4; j <= 4; ++j)
        for (int i = -4; i <= 4; ++i) sum += of.planes[1].at(px + i, py + j) / 81;
      return sum;
    };
    float darkest = 1e9f, brightest = 0;
    for (int py = y - 2 * kRadius; py <= y + 2 * kRadius; py += 3)
      for (int px = x - 2 * kRadius; px <= x + 2 * kRadius; px += 3) {
        darkest = std::min(darkest, light(truth, px, py));
        brightest = std::max(brightest, light(truth, px, py));
      }
    for (int py = y - kRadius; py <= y + kRadius; py += 3)
      for (int px = x - kRadius; px <= x + kRadius; px += 3) {
        const float there = light(is, px, py);
        EXPECT_GT(there, darkest / 2) << x << " " << px - x << " " << py - y;
        EXPECT_LT(there, 2 * brightest) << x << " " << px - x << " " << py - y;
        const double off = std::log2(there / light(truth, px, py));
        squares += off * off, ++places;
      }
  }
  EXPECT_LT(std::sqrt(squares / places), 0.5);
  // Texture that nowhere repeats is covered by its like: that is no misfit.
  const auto among_leaves = covered(plain, store, spot_at(plain, 0.3, 0.9, 0.012));
  ASSERT_TRUE(among_leaves);
  EXPECT_TRUE(among_leaves->repair.spot());
  EXPECT_LT(among_leaves->misfit, kMisfit);
  // One that moves is covered from one place at a time: where that does not fit it is said.
  Repair moves = spot_at(plain, 300.5 / kWidth, (scene.skyline(300) + 0.5) / kHeight,
                         static_cast<double>(kRadius) / kWidth);
  auto& keys = moves.spot()->values.keys;
  keys.push_back({plain.sequence.id_of(2), keys[0].values});
  Shoot keyed = plain;
  keyed.decisions.repairs = {moves};
  std::vector<std::string> notes;
  ASSERT_TRUE(complete_repairs(keyed, store, {}, &notes));
  ASSERT_EQ(notes.size(), 1u);
  EXPECT_EQ(
      notes[0],
      "Nothing beside repair 1 fits its border well: look at it, and give it another source.");
}

// The camera goes on and so does the sky: nothing stands, and that is said before an export.
TEST(PhotoTruth, APlanSaysWhenOneMovementDoesNotFit) {
  for (bool both : {true, false}) {
    auto o = plain_evening(24, 77, {1200, 800});
    o.camera.drift = both ? 50 : 0;
    const PhotoShoot shoot("Path", "BytheWater", o, drifting(0.4, both ? 6 : 0.5));
    const auto r = test::run("plan " + shoot.folder.string() + " --steady hold --out " +
                             (shoot.dir / "a.tsukimi").string());
    ASSERT_EQ(r.code, 0) << r.err;
    EXPECT_EQ(r.err.find("--follow-area") != std::string::npos, both) << r.err;
  }
}

}  // namespace
}  // namespace tsukimi
