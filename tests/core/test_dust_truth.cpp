// SPDX-License-Identifier: GPL-3.0-or-later
// Dust that the simulated camera has on its sensor, before photographs: found, measured, and taken
// for nothing else. Seeds and pictures other than those the code was written with.
#include "find_repairs/find_repairs.h"
#include "folder/sequence.h"
#include "photographs.h"

namespace tsukimi {
namespace {
using test::PhotoShoot;
using test::plain_evening;

constexpr Size kFrame{1080, 720};

sim::SimulateOptions dusty(int frames, std::uint32_t seed, int grains, double shaking) {
  auto o = plain_evening(frames, seed, kFrame);
  o.camera.dust = grains > 0;
  o.camera.grains = grains;
  o.camera.wobble = shaking > 0;
  if (shaking > 0) o.camera.shaking = shaking;
  return o;
}

sim::PhotoOptions under_sky(double clouds) {
  sim::PhotoOptions out;
  out.clouds = clouds;
  return out;
}

struct Grain {
  Point at;
  Shadow shadow;  // through f/5.6
  std::string profile;
  const DustSpot* found = nullptr;
  // The most that dividing by what was found leaves of the true shadow, over it.
  double left() const {
    const Shadow is = shadow_at(found->shadows, 5.6);
    double out = 0;
    for (double y = -2; y <= 2; y += 0.1)
      for (double x = -2; x <= 2; x += 0.1) {
        const double q = std::hypot(x, y), falloff = profile == "flat" ? 6 : 2;
        const double dx = at.x + x * shadow.radius - found->at.x,
                     dy = (at.y - found->at.y) * kFrame.height / kFrame.width + y * shadow.radius;
        const double wanted = 1 - taken_by_shadow(q, shadow.strength, falloff),
                     taken = 1 - taken_by_shadow(std::hypot(dx, dy) / is.radius, is.strength,
                                                 is.falloff);
        out = std::max(out, std::fabs(wanted / taken - 1));
      }
    return out;
  }
};

struct Looked {
  std::vector<DustSpot> spots;
  std::vector<Grain> grains;
  int found = 0, wrong = 0;
};
Looked look_for(const PhotoShoot& shoot) {
  const Shoot s = *start_shoot(make_sequence(*read_folder(shoot.folder), {}));
  ProxyStore store(s.sequence.folder);
  Looked out;
  out.spots = find_dust(dust_frames(s, store));
  std::vector<char> meant(out.spots.size(), 0);
  for (const auto& d : shoot.truth.at("dust")) {
    Grain g;
    g.at = {d.at("at")[0], d.at("at")[1]};
    g.shadow = {5.6, d.at("radius"), d.at("strength")};
    g.profile = d.at("profile");
    for (std::size_t k = 0; k < out.spots.size(); ++k) {
      const double away = std::hypot(out.spots[k].at.x - g.at.x,
                                     (out.spots[k].at.y - g.at.y) * kFrame.height / kFrame.width);
      if (away < g.shadow.radius) g.found = &out.spots[k], meant[k] = 1;
    }
    out.found += g.found != nullptr;
    out.grains.push_back(g);
  }
  out.wrong = static_cast<int>(std::ranges::count(meant, 0));
  EXPECT_EQ(std::ssize(out.spots), out.found + out.wrong) << "a grain is found once";
  return out;
}

// The first half through f/11, where a grain takes four times as much light from a quarter of the
// area.
TEST(DustTruthSlow, EachApertureIsSeenByItself) {
  auto o = dusty(64, 411, 10, 1.2);
  o.camera.apertures = {{0, 11}, {32, 5.6}};
  const Looked looked = look_for(PhotoShoot("Autumn", "EveningGlow", o, under_sky(0.8)));
  EXPECT_GE(looked.found, 9);
  EXPECT_EQ(looked.wrong, 0);
  int near = 0;
  for (const Grain& g : looked.grains) near += g.found && g.left() < 0.04;
  EXPECT_GE(near, looked.found - 2);
}

TEST(DustTruthSlow, AFlatShadowIsNoBell) {
  auto o = dusty(48, 412, 9, 0.8);
  o.camera.profiles = true;
  const Looked looked = look_for(PhotoShoot("BytheWater", "EveningGlow", o, under_sky(0.7)));
  EXPECT_GE(looked.found, 8);
  EXPECT_EQ(looked.wrong, 0);
  for (const Grain& g : looked.grains)
    // Of one of two pixels of a proxy nobody can tell.
    if (g.found && g.profile == "flat" && g.shadow.radius * kFrame.width > 4.5) {
      EXPECT_GT(g.found->shadows.front().falloff, 3.5) << g.at.x;
      EXPECT_LT(g.left(), 0.03) << g.at.x;
    }
}

// The tripod tells nothing; the clouds that go by do.
TEST(DustTruthSlow, OnRockASkyThatDriftsShowsIt) {
  const PhotoShoot shoot("Path", "EveningGlow", dusty(60, 413, 14, 0), under_sky(2));
  const Looked looked = look_for(shoot);
  EXPECT_EQ(looked.wrong, 0);
  int before_sky = 0, found = 0;
  for (const Grain& g : looked.grains)
    if (g.at.y < 0.4 && g.at.x > 0.04 && g.at.x < 0.96) ++before_sky, found += g.found != nullptr;
  ASSERT_GE(before_sky, 4);
  EXPECT_GE(found, before_sky - 1);
}

TEST(DustTruthSlow, NoneIsSeenWhereNoneIs) {
  for (double shaking : {0.0, 1.4}) {
    auto photos = under_sky(1.5);
    photos.ferry = 3;
    const Looked looked =
        look_for(PhotoShoot("FallenLeaf", "BytheWater", dusty(40, 414, 0, shaking), photos));
    EXPECT_EQ(looked.wrong, 0) << shaking;
  }
}

}  // namespace
}  // namespace tsukimi
