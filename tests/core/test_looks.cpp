// SPDX-License-Identifier: GPL-3.0-or-later
// Key frames that move and are eased, proposals and their reasons, carrying, saved looks.
#include <gtest/gtest.h>

#include <fstream>

#include "document/carry.h"
#include "document/files/own_looks.h"
#include "document/files/shoot_file.h"
#include "document/values.h"
#include "film/propose_keys.h"
#include "measure/lamps.h"
#include "support.h"

namespace tsukimi {
namespace {

// Frames without files: what concerns decisions alone.
Shoot plain(int frames) {
  Shoot s;
  for (int i = 0; i < frames; ++i) {
    FrameInfo f;
    f.file = "f" + std::to_string(i);
    f.time = 1000 + 10 * i;
    f.id = static_cast<FrameId>(i);
    s.sequence.frames.push_back(f);
  }
  find_facts(s.sequence);
  return s;
}

TEST(KeyFrames, OneMovesWithItsValuesAndItsEasing) {
  Shoot s = plain(100);
  set_value(s, Param::exposure, 0, 0);
  set_value(s, Param::exposure, 40, 2);
  set_value(s, Param::exposure, 99, 0);
  set_easing(s, 40, Easing::hold);
  ASSERT_TRUE(move_key(s, 40, 60));
  EXPECT_EQ(key_places(s), (std::vector<int>{0, 60, 99}));
  EXPECT_EQ(easing_at(s, 60), Easing::hold);
  EXPECT_DOUBLE_EQ(course_of(s).at(Param::exposure, 60), 2);
  EXPECT_DOUBLE_EQ(course_of(s).at(Param::exposure, 98), 2) << "it holds";
  // Past another one: their order changes.
  ASSERT_TRUE(move_key(s, 0, 80));
  EXPECT_EQ(key_places(s), (std::vector<int>{60, 80, 99}));
  EXPECT_FALSE(move_key(s, 60, 80)) << "one stands there";
  EXPECT_FALSE(move_key(s, 61, 70)) << "none stands there";
  EXPECT_FALSE(move_key(s, 60, 100));
  EXPECT_EQ(key_places(s).size(), 3u);
  set_easing(s, 61, Easing::eased);
  EXPECT_FALSE(has_key(s, 61)) << "easing makes no key frame";
}

TEST(Carry, ListsWhatItThenDoes) {
  Shoot s = plain(100);
  for (int f : {0, 50, 99}) set_value(s, Param::exposure, f, f / 100.0);
  set_value(s, Param::shadows, 50, 30);
  set_value(s, curve_param(0, 4), 50, 70);
  const Values look = course_of(s).at(50);
  const auto rows = rows_named("shadows");
  EXPECT_EQ(rows, std::vector<Param>{Param::shadows});
  const std::vector<int> onto{0, 70};
  const auto changes = carry_changes(s, look, rows, onto);
  ASSERT_EQ(changes.size(), 2u);
  EXPECT_EQ(changes[0].frame, 0);
  EXPECT_EQ(changes[0].param, Param::shadows);
  EXPECT_DOUBLE_EQ(changes[0].from, 0);
  EXPECT_DOUBLE_EQ(changes[0].to, 30);
  const double exposure_before = course_of(s).at(Param::exposure, 70);
  carry(s, look, rows, onto);
  EXPECT_EQ(key_places(s), (std::vector<int>{0, 50, 70, 99}));
  EXPECT_DOUBLE_EQ(course_of(s).at(Param::shadows, 0), 30);
  EXPECT_DOUBLE_EQ(course_of(s).at(Param::shadows, 70), 30);
  EXPECT_DOUBLE_EQ(course_of(s).at(Param::exposure, 0), 0) << "what is not chosen stays";
  EXPECT_NEAR(course_of(s).at(Param::exposure, 70), exposure_before, 1e-9);
  EXPECT_TRUE(carry_changes(s, look, rows, onto).empty());
  // Two new ones beside each other: what is not carried stays as the course had it at both.
  s = plain(100);
  for (int f : {0, 50, 99}) set_value(s, Param::exposure, f, f == 50 ? 2 : 0);
  set_easing(s, 50, Easing::straight);
  const double before[] = {course_of(s).at(Param::exposure, 60),
                           course_of(s).at(Param::exposure, 61)};
  set_value(s, Param::shadows, 50, 30);
  const std::vector<int> pair{60, 61};
  carry(s, course_of(s).at(50), rows, pair);
  EXPECT_NEAR(course_of(s).at(Param::exposure, 60), before[0], 1e-9);
  EXPECT_NEAR(course_of(s).at(Param::exposure, 61), before[1], 1e-9);
  s = plain(100);
  for (int f : {0, 50, 70, 99}) set_value(s, Param::shadows, f, 30);
  set_value(s, curve_param(0, 4), 50, 70);
  // A part is all of its rows.
  const std::vector<int> first{0};
  carry(s, look, rows_named("tone_curve"), first);
  EXPECT_DOUBLE_EQ(course_of(s).at(curve_param(0, 4), 0), 70);
  EXPECT_EQ(carry_targets(s, 50, CarryTo::before), std::vector<int>{0});
  EXPECT_EQ(carry_targets(s, 50, CarryTo::after), (std::vector<int>{70, 99}));
  EXPECT_EQ(carry_targets(s, 50, CarryTo::all), (std::vector<int>{0, 70, 99}));
}

TEST(LookParts, HoldEveryRowOnce) {
  std::vector<Param> all = rows_named("all");
  std::ranges::sort(all);
  ASSERT_EQ(all.size(), static_cast<std::size_t>(kLook.count));
  for (int i = 0; i < kLook.count; ++i) EXPECT_EQ(all[static_cast<std::size_t>(i)], Param{i});
  EXPECT_EQ(rows_named("haze").size(), 4u) << "the air goes with what clears it";
  EXPECT_EQ(rows_named("clear_air").size(), 4u);
  EXPECT_EQ(rows_named("hue_ring").size(), static_cast<std::size_t>(kRingPoints * kRingNumbers));
  EXPECT_EQ(rows_named("split_tone").size(), 5u);
  EXPECT_TRUE(rows_named("nothing").empty());
  std::size_t pages = 0;
  for (const char* page : {"light", "tones", "colours", "detail", "lens"})
    pages += rows_named(page).size();
  EXPECT_EQ(pages, all.size());
}

TEST(SavedLooks, NeverHoldExposureUnlessAskedAndComeBackAsTheyWere) {
  const test::TempDir dir;
  const Values start = neutral_look(5200, 3);
  Values look = start;
  look[Param::exposure] = 1.5;
  look[Param::shadows] = 20;
  look[Param::airlight_red] = 0.3;
  const SavedLook saved = saved_look("Evening, \"mine\"", "Quay", look, start, false);
  EXPECT_EQ(saved.values, (std::vector<std::pair<Param, double>>{{Param::shadows, 20}}));
  EXPECT_EQ(saved_look("e", "", look, start, true).values.front().first, Param::exposure);
  const auto file = look_file(dir.path() / "looks", saved);
  ASSERT_TRUE(write_look(saved, file));
  const auto again = read_look(file);
  ASSERT_TRUE(again) << again.error().message;
  EXPECT_EQ(again->name, saved.name);
  EXPECT_EQ(again->group, saved.group);
  EXPECT_EQ(again->values, saved.values);
  EXPECT_NE(look_file(dir.path() / "looks", saved), file) << "a second one of that name";
  // Applied: what it does not name stays.
  Values other = neutral_look(4000, 0);
  other[Param::exposure] = -1;
  const Values now = applied(*again, other, rows_of(*again));
  EXPECT_DOUBLE_EQ(now[Param::shadows], 20);
  EXPECT_DOUBLE_EQ(now[Param::exposure], -1);
  EXPECT_DOUBLE_EQ(now[Param::temperature], 4000);
  EXPECT_DOUBLE_EQ(applied(*again, other, {})[Param::shadows], 0);
}

TEST(SavedLooks, WhatIsNoLookIsNamedAndPassedOver) {
  const test::TempDir dir;
  ASSERT_TRUE(write_look({"Good", "", {{Param::tint, 4}}, {}}, dir / "good.json"));
  std::ofstream(dir / "broken.json") << "{";
  std::ofstream(dir / "range.json")
      << R"({"format":"tsukimi look","schema":1,"name":"x","group":"","look":{"tint":900}})";
  std::ofstream(dir / "word.json")
      << R"({"format":"tsukimi look","schema":1,"name":"x","group":"","look":{"tints":9}})";
  std::ofstream(dir / "newer.json")
      << R"({"format":"tsukimi look","schema":9,"name":"x","group":"","look":{}})";
  std::vector<std::string> wrong;
  const auto all = all_looks(dir.path(), &wrong);
  EXPECT_EQ(all.size(), own_looks().size() + 1);
  EXPECT_EQ(all.back().name, "Good");
  EXPECT_EQ(wrong.size(), 4u);
  for (const auto& w : wrong) EXPECT_NE(w.find(".json"), std::string::npos) << w;
  // A file of something else is never written over.
  std::ofstream(dir / "mine.txt") << "notes";
  EXPECT_FALSE(write_look(all.back(), dir / "mine.txt"));
}

TEST(SavedLooks, OurOwnAreWithinTheirRangesAndHoldNoExposure) {
  ASSERT_EQ(own_looks().size(), 8u);
  for (const SavedLook& look : own_looks())
    for (const auto& [p, value] : look.values) {
      EXPECT_NE(p, Param::exposure);
      EXPECT_EQ(clamped(p, value), value) << look.name << " " << info(p).name;
    }
}

TEST(ProposedKeys, TwoFramesAreBothEnds) {
  Shoot s = plain(2);
  LightPlan plan;
  plan.as_shot = plan.level.light = {-3, -3.1};
  EXPECT_EQ(propose_keys(s, plan, {}, 6),
            (std::vector<ProposedKey>{{0, KeyReason::first}, {1, KeyReason::last}}));
  add_key(s, 0);
  EXPECT_EQ(propose_keys(s, plan, {}, 6), (std::vector<ProposedKey>{{1, KeyReason::last}}));
}

// The evening: lamps come on while the light falls.
TEST(ProposedKeys, SayWhereLampsBeginToShow) {
  sim::CameraOptions camera;
  camera.frames = 60;
  camera.seed = 12;
  const test::SmallShoot evening(camera, {600, 400});
  Shoot shoot = *start_shoot(*scan_folder(evening.folder));
  ProxyStore store(shoot.sequence.folder);
  const auto grids = measure_light(shoot, store);
  const auto lamps = lamps_course(shoot, grids);
  ASSERT_EQ(lamps.size(), 60u);
  const LightPlan plan = plan_light(shoot, grids);
  const auto keys = propose_keys(shoot, plan, lamps, 6);
  ASSERT_GE(keys.size(), 3u);
  EXPECT_EQ(keys.front(), (ProposedKey{0, KeyReason::first}));
  EXPECT_EQ(keys.back(), (ProposedKey{59, KeyReason::last}));
  const auto lamp = std::ranges::find(keys, KeyReason::lamps_on, &ProposedKey::why);
  ASSERT_NE(lamp, keys.end());
  // The simulator lights them from 0.33 of the evening on, windows until 0.86.
  EXPECT_GT(lamp->frame, 20);
  EXPECT_LT(lamp->frame, 45);
  for (std::size_t i = 1; i < keys.size(); ++i) EXPECT_GE(keys[i].frame - keys[i - 1].frame, 4);
  // Backwards they go out.
  auto dawn = lamps;
  std::ranges::reverse(dawn);
  const auto morning = propose_keys(shoot, plan, dawn, 6);
  EXPECT_NE(std::ranges::find(morning, KeyReason::lamps_off, &ProposedKey::why), morning.end());
  // Those that are there are kept and counted.
  add_key(shoot, 0);
  add_key(shoot, 30);
  const auto more = propose_keys(shoot, plan, lamps, 3);
  ASSERT_EQ(more.size(), 1u);
  EXPECT_EQ(more.front().why, KeyReason::last);
  for (const ProposedKey& key : propose_keys(shoot, plan, lamps, 12)) {
    EXPECT_GE(std::abs(key.frame - 30), 4);
    EXPECT_GE(key.frame, 4);
  }
  EXPECT_TRUE(propose_keys(shoot, plan, lamps, 2).empty());
}

}  // namespace
}  // namespace tsukimi
