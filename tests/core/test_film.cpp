// SPDX-License-Identifier: GPL-3.0-or-later
// Frames set aside: what the film becomes, how frames are made in their place, and that nothing
// else of the shoot is bent by them.
#include <gtest/gtest.h>

#include <array>

#include "core/pictures.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/compose.h"
#include "film/film.h"
#include "motion/optical_flow.h"
#include "output/export_job.h"
#include "support.h"

namespace tsukimi {
namespace {
namespace fs = std::filesystem;
using test::SmallShoot;
using test::TempDir;

const SmallShoot& twenty() {
  static const SmallShoot shoot(
      [] {
        sim::CameraOptions c;
        c.frames = 20;
        c.seed = 77;
        c.gap = c.wobble = c.ruined = c.wrong_aperture = false;
        return c;
      }(),
      {240, 160});
  return shoot;
}

Shoot open_twenty() { return *start_shoot(*scan_folder(twenty().folder)); }

std::vector<int> numbers(const std::vector<FilmFrame>& film) {
  std::vector<int> out;
  for (const auto& f : film) out.push_back(f.frame);
  return out;
}

// A frame that is made, and between which others.
using Made = std::array<int, 3>;
Made made(const FilmFrame& f) { return {f.frame, f.parts.front().frame, f.parts.back().frame}; }
std::vector<Made> made(const std::vector<FilmFrame>& film) {
  std::vector<Made> out;
  for (const auto& f : film)
    if (f.made()) out.push_back(made(f));
  return out;
}

TEST(Film, FillsUpToThreeInARowAndClosesUpLongerRuns) {
  Shoot s = open_twenty();
  set_aside(s, {3, 7, 8, 9, 12, 13, 14, 15}, true);
  const auto film = film_frames(s);
  EXPECT_EQ(film.size(), 16u);
  EXPECT_EQ(made(film), (std::vector<Made>{{3, 2, 4}, {7, 6, 10}, {8, 6, 10}, {9, 6, 10}}));
  s.decisions.aside = AsidePolicy::fill;
  EXPECT_EQ(film_frames(s).size(), 20u);
  s.decisions.aside = AsidePolicy::close_up;
  EXPECT_EQ(numbers(film_frames(s)), (std::vector<int>{0, 1, 2, 4, 5, 6, 10, 11, 16, 17, 18, 19}));
}

TEST(Film, OnlyTheLastFrameMeansToTheEnd) {
  Shoot s = open_twenty();
  set_film_range(s, 2, 18);
  EXPECT_EQ(film_range(s), (std::pair{2, 18}));
  EXPECT_EQ(s.decisions.out, 18);
  EXPECT_EQ(film_frames(s).size(), 17u);
  set_film_range(s, 2, 19);
  EXPECT_EQ(s.decisions.out, -1) << "frames that join later are in it";
  EXPECT_EQ(film_frames(s).size(), 18u);
}

TEST(Film, TheEndsCloseUpBecauseTheyHaveOneNeighbour) {
  Shoot s = open_twenty();
  s.decisions.aside = AsidePolicy::fill;
  set_aside(s, {0, 1, 5, 19}, true);
  auto film = film_frames(s);
  EXPECT_EQ(film.size(), 17u);
  EXPECT_EQ(made(film), (std::vector<Made>{{5, 4, 6}}));
  // Nothing is made from frames outside the film.
  s.decisions.in = 5;
  EXPECT_TRUE(made(film_frames(s)).empty());
  EXPECT_EQ(film_frames(s).front().frame, 6);
}

TEST(Film, AnUnreadableFrameIsFilledOnlyWhenItWasSetAside) {
  Shoot s = open_twenty();
  s.sequence.frames[6].problem = "is a test";
  EXPECT_EQ(film_frames(s).size(), 19u);
  EXPECT_FALSE(film_frame_at(s, 6));
  set_aside(s, {6}, true);
  EXPECT_EQ(made(*film_frame_at(s, 6)), (Made{6, 5, 7}));
  EXPECT_EQ(film_frames(s).size(), 20u);
}

TEST(Film, EveryFrameAgreesWithTheWholeFilm) {
  Shoot s = open_twenty();
  s.sequence.frames[2].problem = "is a test";
  set_aside(s, {1, 3, 8, 9, 10, 11, 15, 19}, true);
  s.decisions.out = 18;
  for (auto policy : {AsidePolicy::automatic, AsidePolicy::fill, AsidePolicy::close_up}) {
    s.decisions.aside = policy;
    std::vector<FilmFrame> one_by_one;
    for (int i = 0; i < s.frame_count(); ++i)
      if (const auto f = film_frame_at(s, i)) one_by_one.push_back(*f);
    EXPECT_EQ(one_by_one, film_frames(s));
  }
}

TEST(Film, SettingAsideAndBringingBackIsExact) {
  Shoot s = open_twenty();
  set_aside(s, {5, 2, 9}, true);
  set_aside(s, {5}, true);
  EXPECT_EQ(s.decisions.set_aside, (std::vector{FrameId{2}, FrameId{5}, FrameId{9}}));
  set_aside(s, {2, 4}, false);
  EXPECT_EQ(s.decisions.set_aside, (std::vector{FrameId{5}, FrameId{9}}));
  EXPECT_TRUE(is_set_aside(s, 9));
  EXPECT_FALSE(is_set_aside(s, 2));
}

TEST(Film, AFrameSetAsideDoesNotBendTheLight) {
  Shoot s = open_twenty();
  s.decisions.level.on = s.decisions.deflicker.on = true;
  s.decisions.deflicker.period = 8;
  ProxyStore store(s.sequence.folder);
  auto grids = measure_light(s, store);
  set_aside(s, {9}, true);
  const LightPlan good = plan_light(s, grids);
  for (float& v : grids[9]->light) v = std::min(1.0f, v * 16);  // a flash
  const LightPlan flashed = plan_light(s, grids);
  EXPECT_TRUE(std::isnan(flashed.as_shot[9]));
  for (int i = 0; i < 20; ++i) EXPECT_EQ(good.correction(i), flashed.correction(i)) << i;
  // Trimmed frames have no say either.
  s.decisions.set_aside.clear();
  s.decisions.in = 10;
  const LightPlan trimmed = plan_light(s, grids);
  EXPECT_TRUE(std::isnan(trimmed.deflickered[9]));
  EXPECT_FALSE(std::isnan(trimmed.deflickered[10]));
}

// Each of the two pictures that a frame is made from has its own correction of light and its own
// noise; the look is that of the frame made.
TEST(Film, AMadeFrameTakesBothItsNeighboursCorrections) {
  Shoot s = open_twenty();
  set_value(s, Param::exposure, 0, 0);
  set_value(s, Param::exposure, 19, 1.9);
  s.sequence.frames[8].iso = 200;
  s.sequence.frames[9].iso = 3200;
  s.sequence.frames[10].iso = 400;
  s.sequence.frames[9].problem = "is damaged";
  set_aside(s, {9}, true);
  LightPlan plan;
  plan.level_correction.assign(20, 0.0);
  plan.flicker_correction.assign(20, 0.0);
  plan.level_correction[8] = 0.25;
  plan.flicker_correction[9] = 7;
  plan.level_correction[10] = -0.5;
  const Courses courses = courses_of(s);
  const auto film = film_frame_at(s, 9);
  ASSERT_TRUE(film && film->made());
  const FilmRecipe r = film_recipe(s, courses, plan, *film, {false, {90, 60}, {}});
  EXPECT_EQ(r.takes[0].picture.light.stops, 0.25);
  EXPECT_EQ(r.takes[1].picture.light.stops, -0.5);
  EXPECT_EQ(r.takes[0].picture.source.info.iso, 200);
  EXPECT_EQ(r.takes[1].picture.source.info.iso, 400);
  EXPECT_EQ(r.takes[0].picture.look[Param::exposure], courses.look.at(Param::exposure, 9));
  EXPECT_EQ(r.takes[1].picture.look, r.takes[0].picture.look);
  EXPECT_NEAR(r.takes[1].weight, 0.5, 0.05);
  EXPECT_NEAR(r.takes[0].weight + r.takes[1].weight, 1, 1e-12);
}

// Of two in a row the first is made a third of the way, the second two thirds.
TEST(Film, MadeFramesGoFromTheOneNeighbourToTheOther) {
  Shoot s = open_twenty();
  set_aside(s, {9, 10}, true);
  const Courses courses = courses_of(s);
  for (const auto& [frame, way] : {std::pair{9, 1.0 / 3}, {10, 2.0 / 3}}) {
    const FilmRecipe r =
        film_recipe(s, courses, {}, *film_frame_at(s, frame), {false, {90, 60}, {}});
    ASSERT_EQ(r.takes.size(), 2u);
    EXPECT_EQ(r.takes[0].picture.source.info.file, s.sequence.frames[8].file);
    EXPECT_EQ(r.takes[1].picture.source.info.file, s.sequence.frames[11].file);
    EXPECT_NEAR(r.takes[1].weight, way, 0.03) << frame;
    EXPECT_EQ(r.time, s.sequence.frames[frame].time);
  }
}

// In place of a frame that cannot be read stands what its neighbours make, lens and all.
TEST(Film, AMadeFrameHasItsNeighboursLens) {
  Shoot s = open_twenty();
  set_value(s, Param::lens_profile, 0, 100);
  set_aside(s, {9}, true);
  const Courses courses = courses_of(s);
  const auto with = film_recipe(s, courses, {}, *film_frame_at(s, 9), {false, {90, 60}, {}});
  FrameInfo damaged;  // nothing is known of it but its name
  damaged.file = s.sequence.frames[9].file;
  damaged.problem = "is not a picture file that can be read, or is damaged";
  s.sequence.put(9, damaged);
  const auto without =
      film_recipe(s, courses_of(s), {}, *film_frame_at(s, 9), {false, {90, 60}, {}});
  ASSERT_TRUE(with.takes[0].picture.lens);
  EXPECT_EQ(without.takes[0].picture.lens, with.takes[0].picture.lens);
  EXPECT_EQ(without.takes[1].picture.lens, with.takes[1].picture.lens);
  EXPECT_EQ(without.takes[0].picture.source.info.iso, with.takes[0].picture.source.info.iso);
  // One frame without a time moves the look of no other.
  for (int i = 0; i < 20; ++i)
    EXPECT_NEAR(course_of(s).place(i), courses.look.place(i), i == 9 ? 0.2 : 1e-9) << i;
}

TEST(Film, TimesThatRunBackwardsAreBridged) {
  std::vector<FrameInfo> frames(10);
  for (int i = 0; i < 10; ++i) frames[i].time = 1e9 + 20 * i + (i >= 6 ? 60 : 0);
  const auto good = time_axis(frames);
  EXPECT_NEAR(good[6] - good[5], 4, 1e-9);
  frames[3].time = 5;
  frames[0].time = 0;
  frames[9].time = 0;
  const auto bridged = time_axis(frames);
  for (int i = 1; i < 9; ++i) EXPECT_NEAR(bridged[i] - bridged[1], good[i] - good[1], 1e-6) << i;
  EXPECT_NEAR(bridged[1] - bridged[0], 1, 1e-9);
  EXPECT_NEAR(bridged[9] - bridged[8], 1, 1e-9);
  // Where most do not tell, the axis is the index.
  for (int i = 0; i < 7; ++i) frames[i].time = 0;
  const auto index = time_axis(frames);
  for (int i = 0; i < 10; ++i) EXPECT_EQ(index[i], i);
}

TEST(Film, CurvesStayTiedToCaptureTime) {
  Shoot s = open_twenty();
  set_value(s, Param::exposure, 0, 0);
  set_value(s, Param::exposure, 19, 2);
  const double before = course_of(s).at(Param::exposure, 15);
  set_aside(s, {4, 5, 6, 7, 8, 9}, true);
  EXPECT_EQ(course_of(s).at(Param::exposure, 15), before);
}

TEST(Film, SortingCarriesDecisionsWithTheirFrames) {
  Shoot s = open_twenty();
  // The camera's clock says the reverse of the names.
  for (int i = 0; i < 20; ++i) s.sequence.frames[i].time = 1e9 - 20 * i;
  set_aside(s, {3}, true);
  look_at(s, 4);
  add_key(s, 5);
  const std::string aside = s.sequence.frames[3].file, key = s.sequence.frames[5].file;
  sort_shoot(s, FrameOrder::time);
  EXPECT_TRUE(is_set_aside(s, 16));
  EXPECT_FALSE(is_set_aside(s, 3));
  EXPECT_EQ(s.sequence.frames[16].file, aside);
  EXPECT_TRUE(is_looked_at(s, 15));
  EXPECT_EQ(key_places(s), std::vector<int>{14});
  EXPECT_EQ(s.sequence.frames[14].file, key);
  sort_shoot(s, FrameOrder::name);
  EXPECT_TRUE(is_set_aside(s, 3));
}

TEST(Film, IsKeptInTheShootFile) {
  TempDir dir;
  Shoot s = open_twenty();
  set_aside(s, {3, 4}, true);
  look_at(s, 7);
  s.decisions.aside = AsidePolicy::close_up;
  s.decisions.order = FrameOrder::time;
  ASSERT_TRUE(save_shoot(s, dir / "s.tsukimi"));
  const auto back = open_shoot(dir / "s.tsukimi");
  ASSERT_TRUE(back) << back.error().message;
  EXPECT_EQ(back->decisions, s.decisions);
  EXPECT_EQ(back->sequence.order, FrameOrder::time);
}

TEST(Film, AShootFileThatNamesAFrameThatIsNotThereIsDamaged) {
  TempDir dir;
  Shoot s = open_twenty();
  s.decisions.set_aside = {FrameId{25}};
  ASSERT_TRUE(save_shoot(s, dir / "s.tsukimi"));
  const auto back = open_shoot(dir / "s.tsukimi");
  ASSERT_FALSE(back);
  EXPECT_NE(back.error().message.find("set_aside"), std::string::npos) << back.error().message;
}

TEST(Film, FramesThatJoinLaterGoBehindAndKeepDecisions) {
  Shoot s = open_twenty();
  std::vector<FrameInfo> late(s.sequence.frames.begin() + 17, s.sequence.frames.end());
  s.sequence.frames.resize(17);
  find_facts(s.sequence);
  set_aside(s, {16}, true);
  EXPECT_EQ(film_frames(s).size(), 16u);
  append_frames(s, late);
  EXPECT_EQ(s.frame_count(), 20);
  EXPECT_EQ(made(*film_frame_at(s, 16)), (Made{16, 15, 17}));
  ProxyStore store(s.sequence.folder);
  Shoot all = open_twenty();
  const auto whole = measure_frames(all, store);
  Measured first = whole;
  first.grids.resize(17);
  first.signs.resize(17);
  const auto grown = measure_frames(s, store, {}, first);
  ASSERT_EQ(grown.grids.size(), 20u);
  for (int i = 0; i < 20; ++i) {
    EXPECT_EQ(grown.grids[i]->light, whole.grids[i]->light);
    EXPECT_NEAR(grown.signs[i]->shift.dx, whole.signs[i]->shift.dx, 1e-9) << i;
  }
}

// ---- made frames -----------------------------------------------------------------------------

TEST(Between, TheSameForAnyNumberOfThreads) {
  Shoot s = open_twenty();
  set_aside(s, {8}, true);
  const auto recipe =
      film_recipe(s, courses_of(s), {}, *film_frame_at(s, 8), {false, {240, 160}, {}});
  std::vector<Image> made;
  for (int threads : {1, 2}) {
    const ThreadLimit limit(threads);
    made.push_back(*develop_film_frame(recipe));
  }
  for (int c = 0; c < 3; ++c) EXPECT_EQ(made[0].planes[c].data, made[1].planes[c].data);
}

TEST(Between, AFilledFrameIsNearTheOneThatWasTaken) {
  Shoot s = open_twenty();
  const Courses courses = courses_of(s);
  auto develop = [&](FilmFrame f) {
    return *develop_film_frame(film_recipe(s, courses, {}, f, {false, {240, 160}, {}}));
  };
  FilmFrame between = itself(8);
  between.how = Composition::between;
  between.parts = {{7, 0.5, 7}, {9, 0.5, 9}};
  const Image taken = develop(itself(8)), filled = develop(between), other = develop(itself(7));
  EXPECT_GT(test::psnr(filled, taken), test::psnr(other, taken));
  EXPECT_GT(test::psnr(filled, taken), 26);
}

TEST(ExportAside, WritesOneFrameForEveryPlaceInTheFilmAndMarksTheMade) {
  TempDir dir;
  Shoot s = open_twenty();
  set_aside(s, {5, 10, 11, 12, 13}, true);
  s.decisions.output = {.folder = (dir / "out").string(),
                        .pattern = "f_##",
                        .format = FileFormat::jpeg,
                        .quality = 90,
                        .pixels = {{120, 80}}};
  const auto report = test::exported(s);
  ASSERT_TRUE(report) << report.error().message;
  EXPECT_EQ(report->written, 16);
  const auto info = read_frame_info(dir / "out" / "f_06.jpg");
  EXPECT_EQ(format_time(info.time), format_time(s.sequence.frames[5].time));
  EXPECT_NE(test::description(dir / "out" / "f_06.jpg").find("Made from"), std::string::npos);
  EXPECT_EQ(test::description(dir / "out" / "f_07.jpg").find("Made from"), std::string::npos);
  // Frame 11 of the film is the one after the closed run.
  EXPECT_EQ(format_time(read_frame_info(dir / "out" / "f_11.jpg").time),
            format_time(s.sequence.frames[14].time));
  const auto again = test::exported(s);
  EXPECT_EQ(again->kept, 16);
}

TEST(Compose, MeansByWeightAndTheLightest) {
  auto of = [](float a, float b) {
    Image image(2, 1);
    for (int c = 0; c < 3; ++c) image.planes[c].data = {a + 0.1f * c, b};
    return image;
  };
  const std::vector<Image> pictures{of(0.1f, 0.8f), of(0.5f, 0.2f), of(0.3f, 0.4f)};
  auto picture = [&](std::size_t k) -> Result<Image> { return pictures[k]; };
  FilmRecipe r;
  for (double w : {2.0, 1.0, 1.0}) r.takes.push_back({{}, w});
  r.how = Composition::average;
  const Image mean = *compose(picture, r);
  EXPECT_NEAR(mean.planes[0].data[0], 0.25, 1e-6);
  EXPECT_NEAR(mean.planes[2].data[0], 0.45, 1e-6);
  EXPECT_NEAR(mean.planes[1].data[1], 0.55, 1e-6);
  r.how = Composition::lighten;
  const Image light = *compose(picture, r);
  EXPECT_EQ(light.planes[0].data[0], 0.5f);
  EXPECT_EQ(light.planes[0].data[1], 0.8f);
  FilmRecipe other = r;
  other.how = Composition::average;
  EXPECT_NE(text_of(r), text_of(other));
  FilmRecipe heavier = other;
  heavier.takes[0].weight = 3;
  EXPECT_NE(text_of(heavier), text_of(other));
  EXPECT_FALSE(r == other);
}

}  // namespace
}  // namespace tsukimi
