// SPDX-License-Identifier: GPL-3.0-or-later
// Events: what shines on a part of a few frames is real, is kept, and can be softened where it
// shines.
#include "document/light_edit.h"
#include "film/film.h"
#include "folder/sequence.h"
#include "photographs.h"

namespace tsukimi {
namespace {
using test::PhotoShoot;
using test::plain_evening;

struct Measuring {
  Shoot shoot;
  ProxyStore store;
  Measured measured;
  explicit Measuring(const std::filesystem::path& folder)
      : shoot(*start_shoot(*scan_folder(folder))),
        store(folder),
        measured(measure_frames(shoot, store)) {}
  const Suspect* at(int frame) const {
    const auto it = std::ranges::find(measured.suspects, frame, &Suspect::frame);
    return it == measured.suspects.end() ? nullptr : &*it;
  }
};

sim::SimulateOptions evening(std::uint32_t seed) {
  sim::SimulateOptions o = plain_evening(60, seed, {480, 320});
  o.camera.wobble = o.camera.hot_pixels = false;
  return o;
}

TEST(Events, LightningIsKeptAndSlipsAreSuspects) {
  for (const auto& [ground, sky, seed] :
       {std::tuple{"Path", "Autumn", 8201u}, {"BytheWater", "Kite", 8202u}}) {
    sim::SimulateOptions o = evening(seed);
    o.camera.uneven.lightning = 3, o.camera.uneven.slips = 2;
    const PhotoShoot shoot(ground, sky, o, {});
    const Measuring m(shoot.folder);
    const auto& frames = shoot.truth.at("frames");
    int lit = 0, slipped = 0;
    for (int f = 0; f < m.shoot.frame_count(); ++f) {
      const auto& truth = frames[static_cast<std::size_t>(f)];
      const Suspect* suspect = m.at(f);
      if (truth.at("lightning") != 1.0) {
        ++lit;
        ASSERT_TRUE(suspect) << f;
        EXPECT_EQ(suspect->kind, SuspectKind::lightning) << f << " " << suspect->reason;
        EXPECT_TRUE(is_event(suspect->kind));
      } else if (const double stops = truth.at("slip"); stops != 0) {
        ++slipped;
        ASSERT_TRUE(suspect) << f;
        EXPECT_EQ(suspect->kind, stops > 0 ? SuspectKind::bright : SuspectKind::dark) << f;
      } else {
        EXPECT_FALSE(suspect && is_event(suspect->kind)) << f << " " << suspect->reason;
      }
    }
    EXPECT_EQ(lit, 3);
    EXPECT_EQ(slipped, 2);
  }
}

// What is said to be left is the flicker, though most of the picture is lit.
TEST(Events, LightningIsNoFlickerThatIsLeft) {
  sim::SimulateOptions o = evening(8205);
  o.camera.uneven.lightning = 4;
  sim::PhotoOptions photos;
  photos.shade = 0;
  const PhotoShoot shoot("BytheWater", "Path", o, photos);
  Measuring m(shoot.folder);
  m.shoot.decisions.level.on = m.shoot.decisions.deflicker.on = true;
  m.shoot.decisions.deflicker.period = 20;
  const FlickerLeft left = plan_light(m.shoot, m.measured.grids).left;
  EXPECT_GT(left.before_median, 2);
  EXPECT_LT(left.left_median, 0.4);
}

// A lamp on the ground, the sky as it was.
TEST(Events, ALampThatPassesIsOneToo) {
  const PhotoShoot shoot("FallenLeaf", "Kite", evening(8203), {});
  Measuring m(shoot.folder);
  LightGrids grids = m.measured.grids;
  for (int row = 46; row < 60; ++row)
    for (int column = 20; column < 50; ++column) {
      float& light = grids[30]->light[static_cast<std::size_t>(row * LightGrid::kColumns + column)];
      light = std::min(1.0f, 2.5f * light + 0.02f);
    }
  const auto suspects = find_suspects(m.shoot.sequence.frames, grids, m.measured.signs);
  const auto it = std::ranges::find(suspects, 30, &Suspect::frame);
  ASSERT_NE(it, suspects.end());
  EXPECT_EQ(it->kind, SuspectKind::lamp) << it->reason;
}

// By how much a part of a frame is brighter than in the frames beside it, in what a plan makes of
// them: mean stops of the cells that are known in all three.
double stands_out(const Measuring& m, const LightPlan& plan, int frame, double top, double bottom) {
  const auto stops = [&](int f, int cell) {
    const Light light = plan.light(f);
    return cell_stops(*m.measured.grids[static_cast<std::size_t>(f)], cell, CellChannel::light) +
           light.stops + light.field.stops_at(CellLight::x_of(cell), CellLight::y_of(cell));
  };
  double sum = 0;
  int count = 0;
  for (int c = 0; c < CellLight::kCells; ++c) {
    const double y = CellLight::y_of(c);
    const double apart = stops(frame, c) - 0.5 * (stops(frame - 1, c) + stops(frame + 1, c));
    if (y < top || y > bottom || std::isnan(apart)) continue;
    sum += apart, ++count;
  }
  return sum / count;
}

TEST(Events, SoftenedLightningIsTakenOutWhereItShines) {
  sim::SimulateOptions o = evening(8204);
  o.camera.uneven.lightning = 2;
  const PhotoShoot shoot("FallenLeaf", "Path", o, {});
  Measuring m(shoot.folder);
  const auto it =
      std::ranges::find_if(m.measured.suspects, [](const Suspect& s) { return is_event(s.kind); });
  ASSERT_NE(it, m.measured.suspects.end());
  const int frame = it->frame;
  m.shoot.decisions.level.on = true;
  const auto above = [&](double share) {
    soften(m.shoot, frame, share);
    const LightPlan plan = plan_light(m.shoot, m.measured.grids);
    EXPECT_NEAR(stands_out(m, plan, frame, 0.65, 1), 0, 0.12) << "the ground at " << share;
    return stands_out(m, plan, frame, 0, 0.4);
  };
  const double kept = above(0), half = above(0.5), none = above(1);
  EXPECT_GT(kept, 0.8);
  EXPECT_NEAR(half, kept / 2, 0.12 * kept);
  EXPECT_NEAR(none, 0, 0.12 * kept);
  EXPECT_EQ(m.shoot.decisions.deflicker.softened.size(), 1u);
  soften(m.shoot, frame, 0);
  EXPECT_TRUE(m.shoot.decisions.deflicker.softened.empty());
}

}  // namespace
}  // namespace tsukimi
