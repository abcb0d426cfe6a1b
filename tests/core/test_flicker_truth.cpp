// SPDX-License-Identifier: GPL-3.0-or-later
// Light over time against the truth of shoots in which it is not one smooth course times one factor
// per frame, on photographs, on seeds not used while writing. No area is drawn.
#include "film/film.h"
#include "folder/sequence.h"
#include "photographs.h"

namespace tsukimi {
namespace {
using test::PhotoShoot;
using test::plain_evening;

// What the plan leaves of the true factor of every frame, stops: the camera's gain, flicker and
// correction together against the line through the frames beside it.
struct Left {
  std::vector<double> apart;
  std::vector<bool> event;  // something happened to that frame
  double percent = 0;       // RMS of one frame (a second difference has sqrt(1.5) of it)
  double worst_event = 0;   // stops
};

Left left_of(const PhotoShoot& shoot) {
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  s.decisions.level.on = s.decisions.deflicker.on = true;
  s.decisions.deflicker.period = 20;
  ProxyStore store(shoot.folder);
  const LightPlan plan = plan_light(s, measure_light(s, store));
  const auto& frames = shoot.truth.at("frames");
  std::vector<double> course;
  Left out;
  for (std::size_t f = 0; f < frames.size(); ++f) {
    course.push_back(frames[f].at("true_gain").get<double>() +
                     std::log2(frames[f].at("flicker").get<double>()) +
                     plan.correction(static_cast<int>(f)));
    out.event.push_back(frames[f].at("lightning") != 1.0 || frames[f].at("slip") != 0.0);
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

TEST(FlickerTruth, LightningOverAHalfLeavesTheOtherAsItIs) {
  sim::SimulateOptions o = evening(7902);
  o.camera.uneven.lightning = 4;
  const Left left = left_of(PhotoShoot("Autumn", "Kite", o, no_shade()));
  EXPECT_EQ(std::count(left.event.begin(), left.event.end(), true), 4);
  EXPECT_LT(left.worst_event, 0.02);
  EXPECT_LT(left.percent, 0.3);
}

TEST(FlickerTruth, ASlipThatNobodyTellsIsTakenOutWhole) {
  sim::SimulateOptions o = evening(7903);
  o.camera.uneven.slips = 3;
  const Left left = left_of(PhotoShoot("FallenLeaf", "Path", o, no_shade()));
  EXPECT_EQ(std::count(left.event.begin(), left.event.end(), true), 3);
  EXPECT_LT(left.worst_event, 0.02);
  EXPECT_LT(left.percent, 0.1);
}

}  // namespace
}  // namespace tsukimi
