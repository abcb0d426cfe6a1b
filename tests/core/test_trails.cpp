// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails against compositions that are made in another way.
#include "film/trails.h"

#include <gtest/gtest.h>

#include <atomic>
#include <cmath>
#include <numbers>

#include "base/cache.h"
#include "cli_runner.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/checks.h"
#include "film/keep_out.h"
#include "film/propose_sky.h"
#include "film/trail_preview.h"
#include "output/develop_pass.h"
#include "places/mask.h"
#include "sim/night.h"
#include "sim/scene.h"
#include "sim/simulate.h"
#include "sky/sky_fit.h"

namespace tsukimi {
namespace {

constexpr int kFrames = 46;
constexpr double kInterval = 19;  // s: three of pause after 16

struct NightShoot {
  TempDir dir;
  Shoot shoot;
};

sim::SimulateOptions night_options(const fs::path& folder) {
  sim::SimulateOptions o;
  o.folder = folder;
  o.size = {600, 400};
  o.camera.frames = kFrames;
  o.camera.interval = kInterval;
  o.camera.seed = 611;
  o.camera.night = true;
  o.camera.steps = o.camera.flicker = o.camera.wrong_aperture = o.camera.ruined = false;
  o.camera.wobble = o.camera.gap = o.camera.dust = o.camera.noise = o.camera.hot_pixels = false;
  o.night = sim::NightOptions{};
  return o;
}

// A night of the harbour that is shot once; without noise, so that what is brighter is known.
const NightShoot& night() {
  static NightShoot made;
  static const bool shot = [&out = made] {
    sim::SimulateOptions o = night_options(out.dir / "night");
    o.night->planes = 1, o.night->satellites = 2, o.night->lamps = 1;
    EXPECT_TRUE(sim::simulate(o));
    auto scan = read_folder(o.folder);
    out.shoot = *start_shoot(make_sequence(*scan, {}));
    return true;
  }();
  EXPECT_TRUE(shot);
  return made;
}

Shoot with_trails(const std::function<void(Trails&)>& set) {
  Shoot s = night().shoot;
  s.decisions.trails.kind = TrailKind::grow;
  s.decisions.trails.close_gaps = false;
  set(s.decisions.trails);
  return s;
}

// Keeps every picture that is made.
struct Album : Sink {
  std::map<int, Image> pictures;
  std::set<int> missed, there;
  bool has(int number) const override { return there.contains(number); }
  Rest put(const MadeFrame& frame) override {
    pictures[frame.number] = frame.picture;
    return {};
  }
  void miss(int number, const Error&) override { missed.insert(number); }
  bool broken() const override { return false; }
};

constexpr Size kSize{150, 100};

std::map<int, Image> made(const Shoot& shoot, ExportRange range = {}) {
  const auto plan = plan_export(shoot, {}, range, kSize);
  EXPECT_TRUE(plan);
  Album album;
  const Route one[] = {{*plan, {&album}}};
  develop_pass(one, {});
  EXPECT_TRUE(album.missed.empty());
  return std::move(album.pictures);
}

// Each frame alone.
const std::map<int, Image>& points() {
  static const std::map<int, Image> all = made(night().shoot);
  return all;
}

double farthest(const Image& a, const Image& b) {
  double most = 0;
  EXPECT_EQ(a.size(), b.size());
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < a.planes[c].data.size(); ++i)
      most = std::max(most, std::fabs(static_cast<double>(a.planes[c].data[i]) -
                                      static_cast<double>(b.planes[c].data[i])));
  return most;
}

// The lightest of frames, each with a weight: by another loop than the film's.
Image lightest(const std::vector<std::pair<int, double>>& frames) {
  Image out(kSize.width, kSize.height);
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < out.planes[c].data.size(); ++i) {
      double most = -1e9;
      for (const auto& [number, weight] : frames)
        most = std::max(most, weight * static_cast<double>(points().at(number).planes[c].data[i]));
      out.planes[c].data[i] = static_cast<float>(most);
    }
  return out;
}

TEST(Trails, AreTheLightestOfAllFramesSoFar) {
  const auto film = made(with_trails([](Trails&) {}));
  ASSERT_EQ(film.size(), static_cast<std::size_t>(kFrames));
  for (int number : {1, 2, 17, kFrames}) {
    std::vector<std::pair<int, double>> all;
    for (int k = 1; k <= number; ++k) all.emplace_back(k, 1);
    EXPECT_EQ(farthest(film.at(number), lightest(all)), 0) << number;
  }
  EXPECT_GT(farthest(film.at(17), points().at(17)), 0.1) << "something has been left";
}

TEST(Trails, ThatFallBackAreTheLightestOfAllToCome) {
  const auto film = made(with_trails([](Trails& t) { t.falls_back = true; }));
  ASSERT_EQ(film.size(), static_cast<std::size_t>(kFrames));
  for (int number : {1, 13, kFrames - 1, kFrames}) {
    std::vector<std::pair<int, double>> all;
    for (int k = number; k <= kFrames; ++k) all.emplace_back(k, 1);
    EXPECT_EQ(farthest(film.at(number), lightest(all)), 0) << number;
  }
}

// What lacks may begin in the middle of a block.
TEST(Trails, ThatFallBackGoOnWhereFramesAreThere) {
  const Shoot shoot = with_trails([](Trails& t) { t.falls_back = true; });
  const auto whole = made(shoot);
  const auto plan = plan_export(shoot, {}, {}, kSize);
  Album rest;
  for (int number : {1, 2, 3, 4, 5, 14, 30}) rest.there.insert(number);
  const Route again[] = {{*plan, {&rest}}};
  develop_pass(again, {});
  EXPECT_EQ(rest.pictures.size(), static_cast<std::size_t>(kFrames) - rest.there.size());
  for (const auto& [number, picture] : rest.pictures)
    EXPECT_EQ(farthest(picture, whole.at(number)), 0) << number;
}

TEST(Trails, OfAFadingTailAreAsDarkAsTheyAreOld) {
  const Shoot shoot = with_trails([](Trails& t) {
    t.kind = TrailKind::comet;
    t.values.at(FrameId{0}, presets(kTrails)).values[Param::trail_length] = 10;
    t.values.keys[0].values[Param::trail_fade] = 5;
  });
  const auto film = made(shoot);
  std::vector<std::pair<int, double>> all;
  for (int k = 1; k <= 30; ++k) all.emplace_back(k, std::exp2(-5.0 * (30 - k) / 10));
  EXPECT_LT(farthest(film.at(30), lightest(all)), 1e-5);
  // In minutes: ten frames are 19 s each.
  Shoot minutes = shoot;
  minutes.decisions.trails.unit = TrailUnit::minutes;
  minutes.decisions.trails.values.keys[0].values[Param::trail_length] = 10 * kInterval / 60;
  const auto plan = plan_export(shoot, {}, {}, kSize), same = plan_export(minutes, {}, {}, kSize);
  EXPECT_NEAR(plan->frames[30].recipe.trail->keeps, same->frames[30].recipe.trail->keeps, 2e-3);
}

TEST(Trails, BecomePointsAgainWhereTheirLengthIsNothing) {
  Shoot shoot = with_trails([](Trails& t) { t.kind = TrailKind::comet; });
  for (const auto& [frame, length] : {std::pair{0, 0.0}, {20, 30.0}, {40, 0.0}})
    set_value(shoot, Param::trail_length, frame, length);
  const auto film = made(shoot);
  EXPECT_EQ(farthest(film.at(1), points().at(1)), 0);
  EXPECT_EQ(farthest(film.at(41), points().at(41)), 0);
  EXPECT_EQ(farthest(film.at(45), points().at(45)), 0);
  EXPECT_GT(farthest(film.at(21), points().at(21)), 0.1);
}

// The window shows frames that the film leaves out, too.
TEST(Trails, OfFramesBeyondTheFilmsEndsThereAreNone) {
  Shoot shoot = with_trails([](Trails&) {});
  shoot.decisions.in = 10, shoot.decisions.out = 20;
  const Courses courses = courses_of(shoot);
  for (int frame : {0, 5, 30, kFrames - 1}) {
    const FilmFrame film = itself(frame, courses.film.time(frame));
    EXPECT_FALSE(film_recipe(shoot, courses, {}, film, export_view(kSize)).trail) << frame;
  }
  EXPECT_TRUE(film_recipe(shoot, courses, {}, itself(15, 5), export_view(kSize)).trail);
  // Trails begin with the film.
  const auto film = made(shoot);
  ASSERT_EQ(film.size(), 11u);
  EXPECT_EQ(farthest(film.at(1), points().at(11)), 0);
  EXPECT_EQ(farthest(film.at(3), lightest({{11, 1}, {12, 1}, {13, 1}})), 0);
}

TEST(Trails, OfEveryNthFrameLeaveDots) {
  const auto film = made(with_trails([](Trails& t) { t.every = 5; }));
  EXPECT_EQ(farthest(film.at(13), lightest({{1, 1}, {6, 1}, {11, 1}, {13, 1}})), 0);
}

TEST(Trails, OfASliceOrOfAPassThatGoesOnAreTheSameBits) {
  const Shoot shoot = with_trails([](Trails& t) { t.keep_out = false; });
  const auto whole = made(shoot);
  const auto slice = made(shoot, {25, 40});
  ASSERT_EQ(slice.size(), 16u);
  for (const auto& [number, picture] : slice)
    EXPECT_EQ(farthest(picture, whole.at(number)), 0) << number;

  // Broken off after 30 frames: what was kept is gone on with, not begun anew.
  const auto plan = plan_export(shoot, {}, {}, kSize);
  Album first;
  std::atomic<bool> cancelled = false;
  const Route begun[] = {{*plan, {&first}}};
  develop_pass(begun, {[&](int done, int) { cancelled = done >= 30; }, &cancelled});
  EXPECT_LT(first.pictures.size(), 46u);
  Album rest;
  for (const auto& [number, picture] : first.pictures) rest.there.insert(number);
  const Route again[] = {{*plan, {&rest}}};
  int total = 0;
  develop_pass(again, {[&](int, int of) { total = of; }, nullptr});
  EXPECT_LE(total, kFrames + 20) << "frames that were gone through, those that are there too";
  for (const auto& [number, picture] : rest.pictures)
    EXPECT_EQ(farthest(picture, whole.at(number)), 0) << number;
  EXPECT_EQ(first.pictures.size() + rest.pictures.size(), static_cast<std::size_t>(kFrames));
}

// What was kept for going on is ours, and goes when all is made; what else lies there stays.
TEST(Trails, OnlyWhatWasKeptIsTakenAway) {
  const fs::path folder = cache_path("trails", "x").parent_path();
  (void)made(with_trails([](Trails&) {}));
  ASSERT_TRUE(fs::is_directory(folder));
  const fs::path other = folder / "notes.trail";
  std::ofstream(other) << "mine";
  (void)made(with_trails([](Trails& t) { t.falls_back = true; }));
  EXPECT_TRUE(fs::exists(other));
  int left = 0;
  for (const auto& file : fs::directory_iterator(folder)) left += file.path() != other;
  EXPECT_EQ(left, 0);
}

TEST(Trails, AFrameThatLacksLeavesNothing) {
  Shoot shoot = with_trails([](Trails&) {});
  shoot.sequence.frames[5].file = "gone.dng";
  const auto plan = plan_export(shoot, {}, {0, 9}, kSize);
  Album album;
  const Route one[] = {{*plan, {&album}}};
  develop_pass(one, {});
  EXPECT_EQ(album.missed, std::set<int>{6});
  std::vector<std::pair<int, double>> all;
  for (int k : {1, 2, 3, 4, 5, 7, 8}) all.emplace_back(k, 1);
  EXPECT_EQ(farthest(album.pictures.at(8), lightest(all)), 0);
}

// The proposed sky, and how the night turned.
const Shoot& with_sky() {
  static const Shoot found = [] {
    Shoot s = night().shoot;
    ProxyStore store(s.sequence.folder);
    s.decisions.trails.kind = TrailKind::grow;
    know_sky(s, store);
    EXPECT_TRUE(s.sky && s.sky->found());
    auto place = propose_sky(s, store);
    EXPECT_TRUE(place) << (place ? "" : place.error().message);
    s.decisions.places.push_back(*place);
    return s;
  }();
  return found;
}

TEST(TrailSky, IsProposedAboveTheSkylineAndTheGroundStays) {
  Shoot shoot = with_sky();
  shoot.decisions.trails.close_gaps = false;
  const sim::HarbourScene scene({600, 400}, 611);
  const Plane open = scene.open_sky();
  const PlaceAt place = courses_of(shoot).places[0].whole(10);
  PlaceAt read = place;
  FilmRecipe recipe = film_recipe(shoot, courses_of(shoot), {}, itself(10, 10), export_view(kSize));
  ASSERT_TRUE(read_other_frames(recipe));
  const Mask mask(*recipe.trail->sky, Placement(Rect{}), {600, 400}, {600, 400});
  std::vector<float> row(600);
  double agree = 0;
  for (int y = 0; y < 400; ++y) {
    mask.row(y, {}, row.data());
    for (int x = 0; x < 600; ++x)
      agree += (row[static_cast<std::size_t>(x)] > 0.5f) == (open.at(x, y) > 0.5f);
  }
  EXPECT_GT(agree / (600 * 400), 0.96);
  // Where there is land the picture is the frame's own.
  const auto film = made(shoot);
  for (int y = 70; y < 100; ++y)
    for (int x = 0; x < 150; ++x)
      ASSERT_EQ(film.at(30).planes[1].at(x, y), points().at(30).planes[1].at(x, y));
  EXPECT_GT(farthest(film.at(30), points().at(30)), 0.1);
}

TEST(TrailGround, IsThatOfOneFrameOrTheMeanOfSeveral) {
  Shoot shoot = with_sky();
  Trails& t = shoot.decisions.trails;
  t.close_gaps = false;
  t.ground = TrailGround::frame;
  t.ground_frame = shoot.sequence.id_of(7);
  const auto one = made(shoot, {20, 21});
  t.ground = TrailGround::mean;
  t.ground_mean = 4;
  const auto mean = made(shoot, {0, 3});
  for (int y = 70; y < 100; ++y)
    for (int x = 0; x < 150; ++x) {
      ASSERT_EQ(one.at(21).planes[1].at(x, y), points().at(8).planes[1].at(x, y));
      float sum = 0;
      for (int k = 1; k <= 4; ++k) sum += points().at(k).planes[1].at(x, y);
      ASSERT_NEAR(mean.at(4).planes[1].at(x, y), sum / 4, 1e-5f * (1 + sum));
    }
}

// One star as a camera of 24 megapixels sees it: six pixels from frame to frame, of which three
// seconds are a pause. Its light along its way, darkest against what is round that.
struct Drawn {
  static constexpr double kShutter = 15, kPause = 3;
  SkyLens lens{15, 0, 1.5};  // a long one: a small picture is enough
  Ray pole{0, -1, 0};
  double angle(double seconds) const { return 2 * std::numbers::pi * seconds / kSiderealDay; }
  Point at(double seconds) const {
    return lens.seen(turned(rotation_about(pole, angle(seconds)), lens.ray({0.5, 0.5})));
  }
  Image frame(int k) const {
    Image out(300, 200);
    for (auto& plane : out.planes) std::fill(plane.data.begin(), plane.data.end(), 0.02f);
    constexpr int kParts = 40;
    for (int i = 0; i < kParts; ++i) {
      const Point p = at(k * (kShutter + kPause) + kShutter * (i + 0.5) / kParts);
      const double x = p.x * 300 - 0.5, y = p.y * 200 - 0.5;
      for (int j = -5; j <= 5; ++j)
        for (int l = -5; l <= 5; ++l) {
          const int px = static_cast<int>(x) + l, py = static_cast<int>(y) + j;
          const double d = (px - x) * (px - x) + (py - y) * (py - y);
          for (auto& plane : out.planes)
            plane.at(px, py) += static_cast<float>(std::exp(-d / (2 * 0.9 * 0.9)) / kParts);
        }
    }
    return out;
  }
  double deepest(bool close, double keeps) const {
    FilmRecipe recipe;
    recipe.takes.push_back({});
    recipe.takes[0].picture.placement.size = {300, 200};
    TrailState state;
    Image last;
    constexpr int kShown = 8;
    for (int k = 0; k < kShown; ++k) {
      recipe.trail = TrailAt{};
      recipe.trail->keeps = keeps;
      recipe.trail->close_gaps = close;
      recipe.trail->step = SkyStep{lens, pole, angle(kShutter + kPause)};
      last = state.show(frame(k), recipe);
    }
    std::vector<double> ridge;
    for (double t = 8; t < (kShown - 1) * (kShutter + kPause) + 8; t += 0.25) {
      const Point p = at(t), q = at(t + 1);
      const double dx = (q.x - p.x) * 300, dy = (q.y - p.y) * 200, length = std::hypot(dx, dy);
      double most = 0;
      for (double aside = -0.8; aside <= 0.8; aside += 0.2) {
        const double x = p.x * 300 - 0.5 - aside * dy / length,
                     y = p.y * 200 - 0.5 + aside * dx / length;
        const int i = static_cast<int>(x), j = static_cast<int>(y);
        const double fx = x - i, fy = y - j;
        const Plane& l = last.planes[1];
        most = std::max(most, (1 - fy) * ((1 - fx) * l.at(i, j) + fx * l.at(i + 1, j)) +
                                  fy * ((1 - fx) * l.at(i, j + 1) + fx * l.at(i + 1, j + 1)));
      }
      ridge.push_back(most - 0.02);
    }
    // Ahead of it there is nothing yet.
    const Point next = at(kShown * (kShutter + kPause) + 8);
    EXPECT_LT(last.planes[1].at(static_cast<int>(std::lround(next.x * 300 - 0.5)),
                                static_cast<int>(std::lround(next.y * 200 - 0.5))),
              0.03f);
    constexpr std::size_t kFrame = 72;  // places
    double worst = 0;
    for (std::size_t i = kFrame; i + kFrame < ridge.size(); ++i) {
      const auto here = ridge.begin() + static_cast<std::ptrdiff_t>(i);
      const double before = *std::max_element(here - kFrame / 2, here + 1),
                   after = *std::max_element(here, here + kFrame / 2);
      worst = std::max(worst, 1 - *here / std::min(before, after));
    }
    return worst;
  }
};

TEST(TrailGaps, BetweenExposuresAreClosedAlongEachStarsWay) {
  const Drawn star;
  const Point a = star.at(0), b = star.at(Drawn::kShutter + Drawn::kPause);
  EXPECT_GT(std::hypot((b.x - a.x) * 300, (b.y - a.y) * 200), 5);
  EXPECT_GT(star.deepest(false, 1), 0.15) << "there are gaps";
  EXPECT_LT(star.deepest(true, 1), 0.05);
}

TEST(TrailStreaks, WhatIsInOneFrameOnlyLeavesNoTrail) {
  Shoot shoot = with_sky();
  Trails& t = shoot.decisions.trails;
  t.close_gaps = false;
  // By the truth: of the frames the same ones without what crossed.
  const TempDir dir;
  sim::SimulateOptions o = night_options(dir / "clean");
  o.night->planes = o.night->satellites = o.night->lamps = 0;
  ASSERT_TRUE(sim::simulate(o));
  auto scan = read_folder(o.folder);
  Shoot clean = *start_shoot(make_sequence(*scan, {}));
  clean.decisions.trails = t;
  clean.decisions.places = shoot.decisions.places;
  const ExportRange end{kFrames - 1, kFrames - 1};
  const Image truth = made(clean, end).at(kFrames), dirty = made(shoot, end).at(kFrames);
  t.keep_out = true;
  const Image kept_out = made(shoot, end).at(kFrames);
  double before = 0, after = 0, lost = 0, of = 0;
  for (int y = 0; y < 25; ++y)
    for (int x = 0; x < 150; ++x) {
      const double want = truth.planes[1].at(x, y);
      before += std::max(0.0, dirty.planes[1].at(x, y) - want);
      after += std::max(0.0, kept_out.planes[1].at(x, y) - want);
      lost += std::max(0.0, want - kept_out.planes[1].at(x, y));
      of += want;
    }
  EXPECT_GT(before / of, 0.03) << "there was something to keep out";
  EXPECT_LT(after, 0.1 * before);
  EXPECT_LT(lost / of, 0.02) << "stars keep their light";
}

TEST(TrailPreviews, AnyFrameIsThereAfterAFewAndIsWhatThePassMakes) {
  const Shoot shoot = with_trails([](Trails&) {});
  ProxyStore store(shoot.sequence.folder);
  const Courses courses = courses_of(shoot);
  const TrailFilm film = trail_film(shoot, courses, {}, kSize);
  TrailPreview preview;
  EXPECT_TRUE(preview.is_near(film, 7));
  EXPECT_FALSE(preview.is_near(film, 44));
  EXPECT_FALSE(preview.before(film, 44, store));
  ASSERT_TRUE(preview.prepare(film, kFrames - 1, store, {}));
  EXPECT_TRUE(preview.is_near(film, 44));
  auto before = preview.before(film, 44, store);
  ASSERT_TRUE(before);
  Image all = *develop_film_proxy(store, film.recipes[0]);
  for (int k = 1; k <= 44; ++k) {
    const Image one = *develop_film_proxy(store, film.recipes[static_cast<std::size_t>(k)]);
    for (int c = 0; c < 3; ++c)
      for (std::size_t i = 0; i < all.planes[c].data.size(); ++i)
        all.planes[c].data[i] = std::max(all.planes[c].data[i], one.planes[c].data[i]);
  }
  const Image now = *develop_film_proxy(store, film.recipes[44]);
  // Of another size: the same but for that.
  Image larger = before->show_over(resample(now, {}, {300, 200}), film.recipes[44]);
  auto light = [](const Image& image) {
    double sum = 0;
    for (const float v : image.planes[1].data) sum += v;
    return sum / static_cast<double>(image.planes[1].data.size());
  };
  EXPECT_NEAR(light(larger), light(all), 0.02 * light(all));
  EXPECT_GT(light(all), 1.05 * light(now));
  const Image shown = before->show(now, film.recipes[44]);
  EXPECT_EQ(farthest(shown, all), 0);
  // Another run finds them in the cache.
  TrailPreview later;
  EXPECT_TRUE(later.is_near(film, 44));
  EXPECT_TRUE(later.before(film, 44, store));
}

TEST(TrailStates, AreTheSameWhenTheyAreReadAgainAndDamageIsFound) {
  const Shoot shoot = with_trails([](Trails&) {});
  ProxyStore store(shoot.sequence.folder);
  const TrailFilm film = trail_film(shoot, courses_of(shoot), {}, kSize);
  TrailState state;
  for (int k : {0, 1, 2})
    (void)state.show(*develop_film_proxy(store, film.recipes[static_cast<std::size_t>(k)]),
                     film.recipes[static_cast<std::size_t>(k)]);
  std::vector<std::uint8_t> bytes = state.bytes();
  auto read = TrailState::from_bytes(bytes);
  ASSERT_TRUE(read);
  const Image next = *develop_film_proxy(store, film.recipes[3]);
  EXPECT_EQ(farthest(state.show(next, film.recipes[3]), read->show(next, film.recipes[3])), 0);
  for (std::size_t cut : {std::size_t{3}, std::size_t{20}, bytes.size() / 2, bytes.size() - 1})
    EXPECT_FALSE(TrailState::from_bytes(std::span(bytes).first(cut))) << cut;
}

TEST(TrailFiles, ComeBackFromAShootAndBadOnesAreRefused) {
  const TempDir dir;
  Shoot shoot = with_sky();
  Trails& t = shoot.decisions.trails;
  t.kind = TrailKind::comet, t.falls_back = true, t.unit = TrailUnit::minutes, t.every = 3;
  t.close_gaps = false, t.keep_out = true, t.ground = TrailGround::mean, t.ground_mean = 9;
  t.ground_frame = FrameId{4};
  set_value(shoot, Param::trail_length, 3, 12);
  shoot.decisions.framing.steady.how = Steadying::stars;
  set_value(shoot, Param::star_hold, 5, 40);
  shoot.decisions.places[0].follow = Follow::stars;
  ASSERT_TRUE(save_shoot(shoot, dir / "n.tsukimi"));
  const auto read = open_shoot(dir / "n.tsukimi");
  ASSERT_TRUE(read) << read.error().message;
  EXPECT_EQ(read->decisions, shoot.decisions);
  std::ifstream in(dir / "n.tsukimi");
  const std::string text((std::istreambuf_iterator<char>(in)), {});
  for (const auto& [from, to] : {std::pair{"\"every\": 3", "\"every\": 0"},
                                 {"\"kind\": \"comet\"", "\"kind\": \"rain\""},
                                 {"\"ground_mean\": 9", "\"ground_mean\": 1"},
                                 {"\"length\": 12.0", "\"length\": -1.0"},
                                 {"\"follow\": \"stars\"", "\"follow\": \"moon\""}}) {
    std::string bad = text;
    const auto place = bad.find(from);
    ASSERT_NE(place, bad.npos) << from;
    std::ofstream(dir / "bad.tsukimi") << bad.replace(place, std::string(from).size(), to);
    EXPECT_FALSE(open_shoot(dir / "bad.tsukimi")) << to;
  }
}

}  // namespace
}  // namespace tsukimi
