// SPDX-License-Identifier: GPL-3.0-or-later
// Where flicker is measured: areas that are drawn, and cells that follow the picture.
#include "film/film.h"
#include "film/grid_in_place.h"
#include "film/light_departures.h"
#include "film/motion.h"
#include "folder/sequence.h"
#include "photographs.h"

namespace tsukimi {
namespace {
using test::PhotoShoot;
using test::plain_evening;

SteadyArea box(AreaShape shape, Rect where, bool leave_out = false) {
  return {shape, where, {}, leave_out};
}

TEST(SteadyArea, EachShapeHoldsWhatIsInIt) {
  const SteadyArea rectangle = box(AreaShape::rectangle, {0.2, 0.2, 0.4, 0.2}),
                   ellipse = box(AreaShape::ellipse, {0.2, 0.2, 0.4, 0.2}),
                   triangle = freehand_area({{0.2, 0.2}, {0.6, 0.2}, {0.2, 0.4}}, false);
  EXPECT_NEAR(triangle.box.w, 0.4, 1e-12);
  EXPECT_NEAR(triangle.box.h, 0.2, 1e-12);
  for (const SteadyArea& area : {rectangle, ellipse, triangle}) {
    EXPECT_TRUE(area.contains(0.35, 0.27));
    EXPECT_FALSE(area.contains(0.35, 0.45));
    EXPECT_FALSE(area.contains(0.61, 0.21));
  }
  EXPECT_TRUE(rectangle.contains(0.21, 0.21));
  EXPECT_FALSE(ellipse.contains(0.21, 0.21)) << "its corner";
  EXPECT_TRUE(triangle.contains(0.21, 0.21));
  EXPECT_TRUE(ellipse.contains(0.55, 0.3));
  EXPECT_FALSE(triangle.contains(0.55, 0.3));
}

TEST(SteadyArea, WhatIsLeftOutTakesNoPartWhereverItLies) {
  const SteadyArea wall = box(AreaShape::rectangle, {0, 0.5, 1, 0.5}),
                   road = box(AreaShape::ellipse, {0.4, 0.6, 0.2, 0.2}, true);
  EXPECT_TRUE(takes_part({}, 0.5, 0.1));
  EXPECT_TRUE(takes_part({road}, 0.5, 0.1)) << "with nothing named, the rest of the picture";
  EXPECT_FALSE(takes_part({road}, 0.5, 0.7));
  for (const auto& both : {std::vector{wall, road}, std::vector{road, wall}}) {
    EXPECT_TRUE(takes_part(both, 0.1, 0.7));
    EXPECT_FALSE(takes_part(both, 0.5, 0.7));
    EXPECT_FALSE(takes_part(both, 0.1, 0.1));
  }
  EXPECT_FALSE(names_steady({}));
  EXPECT_FALSE(names_steady({road}));
  EXPECT_TRUE(names_steady({road, wall}));
}

LightPlan planned(Shoot& shoot, const std::function<void(Decisions&)>& decide) {
  auto& d = shoot.decisions;
  d.level.on = d.deflicker.on = true;
  d.deflicker.period = 20;
  decide(d);
  ProxyStore store(shoot.sequence.folder);
  return plan_light(shoot, measure_light(shoot, store));
}

// Of the true factor of all of the picture, or of its left half, what the plan leaves: RMS in per
// cent of the middle of three frames against the others.
double left_of(const LightPlan& plan, const nlohmann::json& truth, bool left_half = false) {
  std::vector<double> course;
  for (std::size_t f = 0; f < truth.at("frames").size(); ++f) {
    const auto& shot = truth["frames"][f];
    course.push_back(shot.at("true_gain").get<double>() + plan.correction(static_cast<int>(f)) +
                     std::log2(shot.at("flicker").get<double>()) +
                     (left_half ? std::log2(shot.at("left").get<double>()) : 0));
  }
  double squares = 0;
  for (std::size_t f = 1; f + 1 < course.size(); ++f)
    squares += std::pow(course[f] - 0.5 * (course[f - 1] + course[f + 1]), 2) / 1.5;
  return 69.3 * std::sqrt(squares / static_cast<double>(course.size() - 2));
}

sim::SimulateOptions evening(std::uint32_t seed) {
  sim::SimulateOptions o = plain_evening(70, seed, {480, 320});
  o.camera.wobble = o.camera.hot_pixels = false;
  o.camera.from = 0.35, o.camera.to = 0.55;
  return o;
}
sim::PhotoOptions no_shade() {
  sim::PhotoOptions out;
  out.shade = 0;
  return out;
}

// A half flickers by itself. Whoever draws an area gets that area right; who leaves one out, the
// rest.
TEST(SteadyArea, WhatIsDrawnDecidesWhichPartIsRight) {
  sim::SimulateOptions o = evening(8101);
  o.camera.flicker = false;
  o.camera.uneven.part = 5;
  const PhotoShoot shoot("Kite", "Path", o, no_shade());
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  const auto with = [&](std::vector<SteadyArea> areas) {
    return planned(s, [&](Decisions& d) {
      d.deflicker.uneven = Uneven::off;
      d.deflicker.areas = std::move(areas);
    });
  };
  const SteadyArea left = box(AreaShape::ellipse, {0.05, 0.6, 0.35, 0.35}),
                   right = freehand_area({{0.6, 0.6}, {0.95, 0.6}, {0.95, 0.95}}, false),
                   no_right = box(AreaShape::rectangle, {0.45, 0, 0.55, 1}, true);
  EXPECT_GT(left_of(with({}), shoot.truth, true), 2) << "what nobody asks for is held back";
  EXPECT_LT(left_of(with({left}), shoot.truth, true), 0.3);
  EXPECT_GT(left_of(with({left}), shoot.truth, false), 2);
  EXPECT_LT(left_of(with({right}), shoot.truth, false), 0.3);
  // The half that is left out is made worse, and counts all the same: held back.
  EXPECT_TRUE(with({no_right}).deflicker.held);
  EXPECT_LT(left_of(with({left, no_right}), shoot.truth, true), 0.3);
}

// Where the film is steadied the movement is known, and cells see the same thing in every frame.
TEST(SteadyArea, CellsFollowThePictureOfAShakenCamera) {
  sim::SimulateOptions o = evening(8102);
  o.camera.wobble = true, o.camera.shaking = 2.5;
  const PhotoShoot shoot("EveningGlow", "Kite", o, no_shade());
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  const LightPlan fixed = planned(s, [](Decisions&) {});
  const LightPlan follows =
      planned(s, [](Decisions& d) { d.framing.steady.how = Steadying::hold; });
  EXPECT_GT(left_of(fixed, shoot.truth), 0.15);
  EXPECT_LT(left_of(follows, shoot.truth), 0.09);
  EXPECT_GT(fixed.left.left_median, 1) << "the pictures say so too";
  EXPECT_LT(follows.left.left_median, 0.2 * fixed.left.left_median);
  EXPECT_TRUE(follows.found.empty());
}

// What is measured in the window goes with what is decided: placed, and back again.
TEST(SteadyArea, GridsArePlacedOnlyWhileTheMovementIsAskedFor) {
  sim::SimulateOptions o = evening(8103);
  o.camera.frames = 12;
  o.camera.wobble = true, o.camera.shaking = 2;
  const PhotoShoot shoot("Path", "Kite", o, no_shade());
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  ProxyStore store(shoot.folder);
  const Measured plain = measure_frames(s, store);
  EXPECT_FALSE(plain.in_place);
  s.decisions.framing.steady.how = Steadying::hold;
  EXPECT_FALSE(measure_frames(s, store, {}, plain).in_place) << "it is not known yet";
  s.motion = std::make_shared<const MotionTrack>(measure_motion(s, store));
  const Measured placed = measure_frames(s, store, {}, plain);
  EXPECT_EQ(placed.in_place, s.motion);
  EXPECT_NE(placed.grids[5]->light, plain.grids[5]->light);
  EXPECT_EQ(placed.suspects, plain.suspects);
  s.decisions.framing.steady.how = Steadying::off;
  const Measured back = measure_frames(s, store, {}, placed);
  EXPECT_FALSE(back.in_place);
  for (std::size_t i = 0; i < back.grids.size(); ++i)
    EXPECT_EQ(back.grids[i]->light, plain.grids[i]->light);
}

// A cell's light moved by whole cells is that of the cell it came from.
TEST(SteadyArea, AGridInPlaceIsTheGridWhereThePictureWent) {
  Proxy p;
  p.width = 2 * LightGrid::kColumns, p.height = 2 * LightGrid::kRows;
  p.full = {p.width, p.height};
  p.data.resize(3u * p.width * p.height);
  const auto value = [](int x, int y) { return (x * 31 + y * 17) % 97 / 100.0f; };
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < p.height; ++y)
      for (int x = 0; x < p.width; ++x)
        p.data[(static_cast<std::size_t>(c) * p.height + y) * p.width + x] =
            StoredLight(false).number(static_cast<float>(value(x, y)));
  p.grid.light.assign(LightGrid::kCells, 0);
  p.grid.red_blue.assign(2 * LightGrid::kColourCells, 0);
  p.grid.clipped.assign(LightGrid::kCells, 0);
  p.grid.clipped[10 * LightGrid::kColumns + 13] = 200;
  // Three cells to the right, one down: what was in (8, 9) lies in (11, 10) now.
  const Similarity move{3.0 / LightGrid::kColumns, 1.0 / LightGrid::kColumns, 0, 0};
  const LightGrid placed = grid_in_place(p, move), still = grid_in_place(p, {});
  const auto at = [](const LightGrid& g, int x, int y) {
    return g.light[static_cast<std::size_t>(y * LightGrid::kColumns + x)];
  };
  EXPECT_NEAR(at(placed, 8, 9), at(still, 11, 10), 1e-5);
  EXPECT_NEAR(at(still, 11, 10),
              (value(22, 20) + value(23, 20) + value(22, 21) + value(23, 21)) / 4, 1e-4);
  EXPECT_EQ(at(placed, LightGrid::kColumns - 2, 9), 0) << "it lies outside the frame";
  EXPECT_EQ(placed.clipped[9 * LightGrid::kColumns + 10], 200);
}

// What the eye is shown is measured in the pictures: the flicker that is there, and what is left.
TEST(SteadyArea, DeparturesAreTheFlickerOfEachPart) {
  const PhotoShoot shoot("ColdRipple", "Path", evening(8104), no_shade());
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  ProxyStore store(shoot.folder);
  const LightGrids grids = measure_light(s, store);
  s.decisions.level.on = s.decisions.deflicker.on = true;
  s.decisions.deflicker.period = 20;
  const LightPlan plan = plan_light(s, grids);
  const auto before = light_departures(s, grids, plan, false),
             after = light_departures(s, grids, plan, true);
  const auto& frames = shoot.truth.at("frames");
  std::vector<double> truth;
  for (const auto& f : frames) truth.push_back(std::log2(f.at("flicker").get<double>()));
  // Of a part of the ground, against the frames beside each.
  const auto part = [](const std::vector<float>& d, std::size_t frame) {
    double sum = 0;
    for (int y = 22; y < 30; ++y)
      for (int x = 26; x < 36; ++x)
        sum += d[frame * CellLight::kCells + static_cast<std::size_t>(y * CellLight::kAcross + x)];
    return sum / 80;
  };
  double off = 0, left = 0, size = 0;
  for (std::size_t f = 5; f + 5 < truth.size(); ++f) {
    const auto apart = [f](const auto& of) { return of(f) - 0.5 * (of(f - 1) + of(f + 1)); };
    const double seen = apart([&](std::size_t at) { return part(before, at); }),
                 there = apart([&](std::size_t at) { return truth[at]; });
    off += std::pow(seen - there, 2);
    left += std::pow(apart([&](std::size_t at) { return part(after, at); }), 2);
    size += std::pow(there, 2);
  }
  EXPECT_LT(off, 0.02 * size);
  EXPECT_LT(left, 0.02 * size);
}

}  // namespace
}  // namespace tsukimi
