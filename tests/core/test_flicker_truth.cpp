// SPDX-License-Identifier: GPL-3.0-or-later
// Light over time against the truth of shoots in which it is not one smooth course times one factor
// per frame, on photographs, on seeds not used while writing. No area is drawn.
#include "film/film.h"
#include "folder/sequence.h"
#include "photographs.h"
#include "sim/uneven.h"

namespace tsukimi {
namespace {
using test::PhotoShoot;
using test::plain_evening;

// A shoot with its light planned.
struct Planned {
  Shoot shoot;
  LightPlan plan;
};
Planned planned(const PhotoShoot& photos, Uneven uneven = Uneven::automatic) {
  Planned out{*start_shoot(*scan_folder(photos.folder)), {}};
  auto& d = out.shoot.decisions;
  d.level.on = d.deflicker.on = true;
  d.deflicker.period = 20;
  d.deflicker.uneven = uneven;
  ProxyStore store(photos.folder);
  out.plan = plan_light(out.shoot, measure_light(out.shoot, store));
  return out;
}

// A place of the picture, in fractions of it.
struct Place {
  double x = 0.8, y = 0.75;
};

// What the plan leaves of the true factor of every frame in some places together, stops: the
// camera's gain, flicker and correction against the line through the frames beside it.
struct Left {
  std::vector<double> apart;
  std::vector<bool> event;  // something happened to that frame
  double percent = 0;       // RMS of one frame (a second difference has sqrt(1.5) of it)
  double worst_event = 0;   // stops
};

Left left_of(const LightPlan& plan, const nlohmann::json& truth,
             const std::vector<Place>& places = {Place{}}, int channel = 1) {
  const auto& frames = truth.at("frames");
  std::vector<double> course;
  Left out;
  for (std::size_t f = 0; f < frames.size(); ++f) {
    const auto& shot = frames[f];
    sim::Uneven uneven;
    uneven.banding = shot.at("banding")[0], uneven.phase = shot.at("banding")[1];
    uneven.left = shot.at("left");
    const Light light = plan.light(static_cast<int>(f));
    double stops = shot.at("true_gain").get<double>() +
                   std::log2(shot.at("flicker").get<double>()) +
                   std::log2(shot.at("channels")[channel].get<double>()) + light.stops +
                   light.channel_stops[channel];
    for (const Place& at : places)
      stops += (std::log2(uneven.at_row(at.y) * uneven.at_column(at.x)) +
                light.field.stops_at(at.x, at.y)) /
               static_cast<double>(places.size());
    course.push_back(stops);
    out.event.push_back(shot.at("lightning") != 1.0 || shot.at("slip") != 0.0);
  }
  out.apart.assign(course.size(), 0.0);
  double sum = 0, count = 0;
  for (std::size_t f = 1; f + 1 < course.size(); ++f) {
    out.apart[f] = course[f] - 0.5 * (course[f - 1] + course[f + 1]);
    if (out.event[f]) out.worst_event = std::max(out.worst_event, std::fabs(out.apart[f]));
    if (out.event[f - 1] || out.event[f] || out.event[f + 1]) continue;
    const double percent = 100 * (std::exp2(out.apart[f] / std::sqrt(1.5)) - 1);
    sum += percent * percent, count += 1;
  }
  out.percent = std::sqrt(sum / count);
  return out;
}

Left left_of(const PhotoShoot& shoot) { return left_of(planned(shoot).plan, shoot.truth); }

int count_of(const LightPlan& plan, FlickerKind kind) {
  return static_cast<int>(std::ranges::count(plan.found, kind, &FlickerFound::kind));
}

sim::SimulateOptions evening(std::uint32_t seed) {
  sim::SimulateOptions o = plain_evening(70, seed, {480, 320});
  o.camera.wobble = o.camera.hot_pixels = false;
  // So slowly does the light fall there that what it bends by from frame to frame is nothing.
  o.camera.from = 0.35, o.camera.to = 0.55;
  return o;
}

// Nothing falls on the ground but the evening itself: what it has beyond that is the camera's.
sim::PhotoOptions no_shade() {
  sim::PhotoOptions out;
  out.shade = 0;
  return out;
}

TEST(FlickerTruth, OneFactorAFrameIsFound) {
  const Left left = left_of(PhotoShoot("Path", "Kite", evening(7901), no_shade()));
  EXPECT_LT(left.percent, 0.09);
}

TEST(FlickerTruth, FourteenStopsInThirdsAreLevel) {
  sim::SimulateOptions o = evening(7941);
  o.camera.from = 0, o.camera.to = 1, o.camera.fall = 7, o.camera.frames = 110;
  const PhotoShoot shoot("OneStandsOut", "Kite", o, no_shade());
  const auto& frames = shoot.truth.at("frames");
  const auto of = [](const nlohmann::json& frame, const char* what) {
    return frame.at(what).get<double>();
  };
  ASSERT_GT(of(frames.front(), "light") - of(frames.back(), "light"), 13.5);
  const Planned plan = planned(shoot);
  int steps = 0;
  for (std::size_t f = 1; f < frames.size(); ++f)
    steps += frames[f].at("nominal_gain") != frames[f - 1].at("nominal_gain");
  EXPECT_GE(steps, 34);
  // And a shutter that was traded for ISO.
  EXPECT_EQ(static_cast<int>(plan.plan.level.steps.size()), steps + 1);
  EXPECT_LT(left_of(plan.plan, shoot.truth).percent, 0.1);
}

TEST(FlickerTruth, LightningOverAHalfLeavesTheOtherAsItIs) {
  sim::SimulateOptions o = evening(7902);
  o.camera.uneven.lightning = 4;
  const Left left = left_of(PhotoShoot("Autumn", "Kite", o, no_shade()));
  EXPECT_EQ(std::count(left.event.begin(), left.event.end(), true), 4);
  EXPECT_LT(left.worst_event, 0.02);
  EXPECT_LT(left.percent, 0.3);
}

// Light over all of a frame, everywhere another one: none of it is the frame's own factor.
TEST(FlickerTruth, FramesThatHeadlightsLightAreNotDarkened) {
  sim::SimulateOptions o = evening(7914);
  o.camera.ruined = true;
  const PhotoShoot shoot("BytheWater", "Autumn", o, no_shade());
  const LightPlan plan = planned(shoot).plan;
  int lit = 0;
  const auto& frames = shoot.truth.at("frames");
  for (std::size_t f = 0; f < frames.size(); ++f) {
    if (frames[f].at("fault") != "headlights") continue;
    ++lit;
    EXPECT_NEAR(plan.flicker_correction[f], 0, 1e-9) << f;
    EXPECT_EQ(std::ranges::count(plan.deflicker.limited, static_cast<int>(f)), 1) << f;
  }
  EXPECT_EQ(lit, 2);
}

TEST(FlickerTruth, ASlipThatNobodyTellsIsTakenOutWhole) {
  sim::SimulateOptions o = evening(7903);
  o.camera.uneven.slips = 3;
  const Left left = left_of(PhotoShoot("FallenLeaf", "Path", o, no_shade()));
  EXPECT_EQ(std::count(left.event.begin(), left.event.end(), true), 3);
  EXPECT_LT(left.worst_event, 0.02);
  EXPECT_LT(left.percent, 0.1);
}

sim::SimulateOptions without_flicker(std::uint32_t seed) {
  sim::SimulateOptions o = evening(seed);
  o.camera.flicker = false;
  return o;
}

// Half of the picture flickers: one factor a frame would put its flicker into the other half.
TEST(FlickerTruth, AHalfThatFlickersByItselfIsTakenOutOfThatHalf) {
  sim::SimulateOptions o = without_flicker(7904);
  o.camera.uneven.part = 5;
  const PhotoShoot shoot("FallenLeaf", "Path", o, no_shade());
  const LightPlan plan = planned(shoot).plan;
  EXPECT_EQ(count_of(plan, FlickerKind::part), 1);
  EXPECT_FALSE(plan.deflicker.held);
  for (const double x : {0.2, 0.8})
    EXPECT_LT(left_of(plan, shoot.truth, {{x, 0.6}, {x, 0.75}, {x, 0.9}}).percent, 0.2) << x;
  EXPECT_LT(plan.left.worse_share, 0.1);
}

// Whoever does not want that gets none of it, and no part is made worse.
TEST(FlickerTruth, NoPartIsMadeWorse) {
  sim::SimulateOptions o = without_flicker(7905);
  o.camera.uneven.part = 5;
  const PhotoShoot shoot("Autumn", "Path", o, no_shade());
  const LightPlan plan = planned(shoot, Uneven::off).plan;
  EXPECT_TRUE(plan.deflicker.held);
  EXPECT_TRUE(plan.shapes.empty());
  EXPECT_LT(plan.left.worse_share, 0.1);
  EXPECT_LT(left_of(plan, shoot.truth).percent, 0.3) << "of the half that is still";
}

TEST(FlickerTruth, BandsOfLampsAreTakenOutOfEveryRow) {
  sim::SimulateOptions o = evening(7906);
  o.camera.uneven.banding = 5;
  const PhotoShoot shoot("OneStandsOut", "Kite", o, no_shade());
  const LightPlan plan = planned(shoot).plan;
  ASSERT_EQ(count_of(plan, FlickerKind::bands), 1);
  EXPECT_NEAR(plan.found.front().wave.cycles, sim::Uneven::kBands, 0.02);
  EXPECT_FALSE(plan.found.front().wave.across);
  EXPECT_NEAR(plan.found.front().percent, 5 / std::sqrt(2), 0.3);
  std::vector<Place> rows;
  double squares = 0;
  for (int i = 0; i < 20; ++i) {
    rows.push_back({0.5, (i + 0.5) / 20});
    squares += std::pow(left_of(plan, shoot.truth, {rows.back()}).percent, 2) / 20;
  }
  EXPECT_LT(std::sqrt(squares), 0.2);
  EXPECT_LT(left_of(plan, shoot.truth, rows).percent, 0.08);
  EXPECT_LT(plan.left.left_p90, 0.3);
  EXPECT_GT(plan.left.before_median, 3) << "what is said is measured in the pictures";
}

TEST(FlickerTruth, ColoursThatFlickerApartAreTakenOutEach) {
  sim::SimulateOptions o = evening(7907);
  o.camera.uneven.colour = 3;
  const PhotoShoot shoot("Path", "Autumn", o, no_shade());
  const LightPlan plan = planned(shoot).plan;
  EXPECT_EQ(count_of(plan, FlickerKind::colour), 1);
  for (const int channel : {0, 1, 2})
    EXPECT_LT(left_of(plan, shoot.truth, {Place{}}, channel).percent, 0.15) << channel;
}

// A frame that cannot be measured, or that something happens to, gets no colour from that.
TEST(FlickerTruth, FramesThatTellNoColourGetNone) {
  sim::SimulateOptions o = evening(7915);
  o.camera.uneven.colour = 3, o.camera.uneven.lightning = 3;
  const PhotoShoot shoot("ColdRipple", "Path", o, no_shade());
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  s.decisions.deflicker.on = true;
  ProxyStore store(shoot.folder);
  LightGrids grids = measure_light(s, store);
  grids[0].reset(), grids[30].reset();
  const LightPlan plan = plan_light(s, grids);
  EXPECT_EQ(count_of(plan, FlickerKind::colour), 1);
  for (const int f : {0, 30}) EXPECT_EQ(plan.light(f).channel_stops, Light{}.channel_stops) << f;
  for (int f = 0; f < s.frame_count(); ++f)
    for (double stops : plan.light(f).channel_stops) EXPECT_LT(std::fabs(stops), 0.2) << f;
}

TEST(FlickerTruth, AllAtOnceIsTakenApart) {
  sim::SimulateOptions o = evening(7908);
  o.camera.uneven.banding = 4, o.camera.uneven.part = 4, o.camera.uneven.colour = 3;
  const PhotoShoot shoot("Kite", "OneStandsOut", o, no_shade());
  const LightPlan plan = planned(shoot).plan;
  for (const FlickerKind kind : {FlickerKind::bands, FlickerKind::part, FlickerKind::colour})
    EXPECT_EQ(count_of(plan, kind), 1) << kFlickerKinds[kind].name;
  for (const double x : {0.2, 0.8})
    for (const int channel : {0, 1, 2})
      EXPECT_LT(left_of(plan, shoot.truth, {{x, 0.6}, {x, 0.75}, {x, 0.9}}, channel).percent, 0.3)
          << x << " " << channel;
}

// What drifts, shakes and passes by is no flicker.
TEST(FlickerTruth, NothingIsSwitchedOnWhereThereIsNothing) {
  sim::SimulateOptions even = evening(7909), shaken = evening(7910), calm = without_flicker(7911);
  shaken.camera.wobble = true;
  shaken.camera.wobble = true, shaken.camera.shaking = 2;
  sim::PhotoOptions clouds;
  clouds.shade = 1, clouds.clouds = 6, clouds.ferry = 7;
  for (const auto& [o, photos] : {std::pair{even, no_shade()}, {shaken, clouds}, {calm, clouds}}) {
    const PhotoShoot shoot("BytheWater", "Autumn", o, photos);
    const LightPlan plan = planned(shoot).plan;
    EXPECT_TRUE(plan.found.empty()) << o.camera.seed;
    EXPECT_TRUE(plan.light(20).field.empty());
    EXPECT_EQ(plan.light(20).channel_stops, Light{}.channel_stops);
  }
}

// Steps that no metadata tell are found in the pictures, and levelled.
TEST(FlickerTruth, StepsThatNobodyTellsAreFound) {
  sim::SimulateOptions o = evening(7912);
  o.camera.frames = 120, o.camera.from = 0, o.camera.to = 1;
  o.camera.metadata = false;
  const PhotoShoot shoot("ColdRipple", "Kite", o, no_shade());
  const LightPlan plan = planned(shoot).plan;
  EXPECT_TRUE(plan.level.found_in_picture);
  const auto& frames = shoot.truth.at("frames");
  std::map<int, int> steps;
  for (const LevelStep& step : plan.level.steps)
    steps[step.at] = static_cast<int>(std::lround(3 * step.nominal));
  int right = 0, all = 0;
  for (std::size_t f = 1; f < frames.size(); ++f) {
    const double step =
        frames[f].at("true_gain").get<double>() - frames[f - 1].at("true_gain").get<double>();
    if (std::fabs(step) < 1e-6) continue;
    ++all;
    const auto found = steps.find(static_cast<int>(f));
    right += found != steps.end() && found->second == std::lround(3 * step);
  }
  EXPECT_GT(all, 12);
  EXPECT_GE(right, all - 1);
  EXPECT_LE(static_cast<int>(steps.size()) - right, 2) << "steps that are none";
  EXPECT_LT(left_of(plan, shoot.truth).percent, 0.13);
  // The evening's course: what the stair is off, but for a straight line, which nobody can tell
  // from the evening's own light.
  const auto n = static_cast<double>(frames.size());
  double mean = 0, slope = 0, across = 0, most = 0;
  auto off = [&](std::size_t f) {
    return plan.level.stair[f] - frames[f].at("true_gain").get<double>();
  };
  for (std::size_t f = 0; f < frames.size(); ++f) mean += off(f) / n;
  for (std::size_t f = 0; f < frames.size(); ++f) {
    const double at = static_cast<double>(f) - (n - 1) / 2;
    slope += at * off(f), across += at * at;
  }
  for (std::size_t f = 0; f < frames.size(); ++f)
    most = std::max(
        most, std::fabs(off(f) - mean - slope / across * (static_cast<double>(f) - (n - 1) / 2)));
  EXPECT_LT(most, 0.028);
}

// Light that only goes on, under clouds, has none.
TEST(FlickerTruth, NoStepsAreFoundWhereThereAreNone) {
  sim::SimulateOptions o = evening(7913);
  o.camera.steps = false;
  o.camera.metadata = false;
  sim::PhotoOptions clouds;
  clouds.shade = 0.6, clouds.clouds = 5;
  const PhotoShoot shoot("Autumn", "BytheWater", o, clouds);
  EXPECT_TRUE(planned(shoot).plan.level.steps.empty());
}

}  // namespace
}  // namespace tsukimi
