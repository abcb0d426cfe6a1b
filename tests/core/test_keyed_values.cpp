// SPDX-License-Identifier: GPL-3.0-or-later
// Values of any kind of thing through key frames, and frames that keep their identity.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "base/file.h"
#include "document/files/shoot_file.h"
#include "document/shoot/difference.h"
#include "document/values.h"
#include "film/film.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::TempDir;

// Another kind than the look: any span of the table is one.
constexpr Kind kSplit{"split", Param::shadow_hue, 5};

std::vector<double> even_axis(int n) {
  std::vector<double> out;
  for (int i = 0; i < n; ++i) out.push_back(i);
  return out;
}

TEST(KeyedValues, AKindIsASpanOfTheTable) {
  EXPECT_EQ(kSplit.rows().size(), 5u);
  EXPECT_EQ(kSplit.rows().front().id, Param::shadow_hue);
  EXPECT_EQ(kSplit.rows().back().id, Param::split_balance);
  EXPECT_TRUE(kSplit.has(Param::highlight_hue));
  EXPECT_FALSE(kSplit.has(Param::muted_colours));
  EXPECT_FALSE(kSplit.has(Param::noise));
  Values v = presets(kSplit);
  EXPECT_EQ(v.numbers.size(), 5u);
  EXPECT_EQ(v[Param::shadow_hue], 260);
  v[Param::split_balance] = 12;
  EXPECT_EQ(v.numbers[4], 12);
}

TEST(KeyedValues, AnyKindRunsThroughItsOwnKeyFrames) {
  KeyedValues thing{kSplit, {}};
  Values v = presets(kSplit);
  v[Param::shadow_hue] = 350;
  thing.at(FrameId{2}, v);
  v[Param::shadow_hue] = 10;
  v[Param::shadow_strength] = 40;
  thing.at(FrameId{0}, v).easing = Easing::hold;
  // Frame 2 is the first in order, frame 0 the last.
  const Course course(thing, presets(kSplit), even_axis(5), {4, 2, 0, 1, 3});
  EXPECT_EQ(course.at(Param::shadow_strength, 0), 0);
  EXPECT_EQ(course.at(Param::shadow_strength, 4), 40);
  const double middle = course.at(Param::shadow_hue, 2);  // by the short way round
  EXPECT_LT(std::min(middle, 360 - middle), 3);
  EXPECT_EQ(course.at(3).kind, kSplit);
  EXPECT_EQ(course.at(4)[Param::shadow_hue], 10);
}

TEST(KeyedValues, MovingAllKeepsTheDistancesOnTheScale) {
  KeyedValues look;
  for (int i : {0, 1}) {
    look.at(FrameId{i}, neutral_look(i ? 8000 : 4000, 0));
  }
  move_all(look, Param::temperature, 4000, 5000);
  EXPECT_NEAR(look.keys[0].values[Param::temperature], 5000, 1e-6);
  EXPECT_NEAR(1e6 / look.keys[1].values[Param::temperature], 125 - 50, 1e-6);
}

TEST(KeyedValues, ASettingIsNamedAloneOrByItsKind) {
  ASSERT_TRUE(find_setting("exposure"));
  EXPECT_EQ(find_setting("exposure")->param, Param::exposure);
  EXPECT_EQ(find_setting("look.tint")->param, Param::tint);
  EXPECT_FALSE(find_setting("mask.tint"));
  EXPECT_FALSE(find_setting("look.nothing"));
  EXPECT_FALSE(find_setting("look."));
}

TEST(KeyedValues, EveryRowIsOnAPageOrHasAViewOfItsOwn) {
  const auto pages = look_pages();
  for (const auto& row : kLook.rows()) {
    const bool shown = std::ranges::any_of(
        pages, [&](const char* p) { return std::string_view(p) == row.place.page; });
    const std::string_view group = row.place.group;
    EXPECT_TRUE(shown || (row.place.page[0] == 0 && (group == "Air" || group == "Hue ring")))
        << row.name;
    EXPECT_FALSE(group.empty()) << row.name;
  }
}

Shoot shoot_of(int frames) {
  Shoot s;
  for (int i = 0; i < frames; ++i) {
    FrameInfo f;
    f.file = "a_" + std::to_string(100 + i) + ".dng";
    f.time = 1e9 - 10 * i;  // the names run against the clock
    s.sequence.frames.push_back(f);
  }
  find_facts(s.sequence);
  return s;
}

TEST(FrameIdentity, DecisionsStayWithTheirFrames) {
  Shoot s = shoot_of(8);
  set_aside(s, {1, 5}, true);
  look_at(s, 2);
  set_value(s, Param::exposure, 3, 1.5);
  const Decisions before = s.decisions;
  sort_shoot(s, FrameOrder::time);
  // Nothing but the order was decided anew.
  Decisions after = s.decisions;
  after.order = FrameOrder::name;
  EXPECT_EQ(after, before);
  EXPECT_TRUE(is_set_aside(s, 6));
  EXPECT_TRUE(is_set_aside(s, 2));
  EXPECT_FALSE(is_set_aside(s, 1));
  EXPECT_TRUE(is_looked_at(s, 5));
  EXPECT_EQ(key_places(s), std::vector<int>{4});
  FrameInfo newer;
  newer.file = "a_000.dng";
  append_frames(s, {newer});
  EXPECT_EQ(s.sequence.id_of(8), FrameId{8});
  EXPECT_TRUE(is_set_aside(s, 6));
  sort_shoot(s, FrameOrder::name);
  EXPECT_EQ(s.sequence.frames[0].file, "a_000.dng");
  EXPECT_TRUE(is_set_aside(s, 2));
  EXPECT_EQ(key_places(s), std::vector<int>{4});
}

TEST(FrameIdentity, KeyFramesRunInTheOrderThatTheFramesHaveNow) {
  Shoot s = shoot_of(9);
  set_value(s, Param::contrast, 0, 10);
  set_value(s, Param::contrast, 8, 50);
  sort_shoot(s, FrameOrder::time);
  const Course c = course_of(s);
  EXPECT_EQ(c.at(Param::contrast, 0), 50);
  EXPECT_EQ(c.at(Param::contrast, 8), 10);
  EXPECT_NEAR(c.at(Param::contrast, 4), 30, 1e-9);
}

TEST(FrameIdentity, WhatWasDecidedIsMovedByTheNamesOfTheFrames) {
  Shoot a = shoot_of(6), b = shoot_of(6);
  set_aside(a, {1}, true);
  set_value(a, Param::exposure, 4, 2);
  add_key(a, 0);
  std::swap(b.sequence.frames[1], b.sequence.frames[3]);  // other ids for the same names
  for (auto& f : b.sequence.frames) f.id = FrameId::none;
  b.sequence.frames[4].file = "another.dng";
  find_facts(b.sequence);
  b.decisions = moved_to(a.decisions, a.sequence, b.sequence);
  EXPECT_TRUE(is_set_aside(b, 3));
  EXPECT_EQ(b.decisions.set_aside.size(), 1u);
  EXPECT_EQ(key_places(b), std::vector<int>{0}) << "the frame of the other is not there";
}

Decisions other_decisions() {
  Decisions d;
  d.brackets = {3, 1.5, 2, {{"TSK_0001.dng", -1}}};
  d.order = FrameOrder::time;
  d.set_aside = {FrameId{1}, FrameId{4}};
  d.looked_at = {FrameId{2}};
  d.aside = AsidePolicy::close_up;
  d.look.at(FrameId{3}, neutral_look(5000, 3));
  d.level = {true, 0.4};
  d.deflicker.on = true;
  d.framing.crop = {0.1, 0.1, 0.5, 0.5};
  d.fps = 30;
  d.pace.blur = 180;
  d.trails.kind = TrailKind::grow;
  d.in = 2;
  d.out = 5;
  d.output.quality = 70;
  d.makes_frames = false;
  d.films = {*usual_film(".mp4")};
  d.places = {new_place("sky", ShapeKind::graduated, FrameId{1})};
  d.repairs = {{{DustRepair{{}, {{8, 0.01, 0.2}}}}}};
  return d;
}

TEST(Difference, EveryFieldGoesThereAndBack) {
  const Decisions a, b = other_decisions();
  const Difference d(a, b);
  Decisions here = a;
  d.redo(here);
  EXPECT_EQ(here, b);
  d.undo(here);
  EXPECT_EQ(here, a);
  EXPECT_TRUE(Difference(b, b).empty());
  // Each alone, and nothing but it.
  Decisions fields_of_b = b;
  [&]<std::size_t... I>(std::index_sequence<I...>) {
    auto one = [&]<std::size_t K>(std::integral_constant<std::size_t, K>) {
      Decisions changed = a;
      std::get<K>(fields(changed)) = std::get<K>(fields(fields_of_b));
      const Difference only(a, changed);
      EXPECT_FALSE(only.empty()) << K;
      Decisions on_another = b;
      std::get<K>(fields(on_another)) = std::get<K>(fields(a));
      only.redo(on_another);
      EXPECT_EQ(on_another, b) << K;
    };
    (one(std::integral_constant<std::size_t, I>()), ...);
  }
  (std::make_index_sequence<std::tuple_size_v<decltype(fields(fields_of_b))>>());
}

TEST(Difference, OfListsJustThePartThatDiffersIsKept) {
  KeyedValues a;
  for (int i = 0; i < 50; ++i) a.at(FrameId{i}, neutral_look(5000 + i, 0));
  KeyedValues b = a;
  b.keys[20].values[Param::exposure] = 1;
  FieldChange<KeyedValues> change(a, b);
  EXPECT_EQ(change.size(), 2u);
  change.apply(a, true);
  EXPECT_EQ(a, b);
  const std::vector<int> some{1, 2, 3, 4}, fewer{1, 4}, none;
  for (const auto& from : {some, fewer, none})
    for (const auto& to : {some, fewer, none}) {
      std::vector<int> at = from;
      const FieldChange<std::vector<int>> step(from, to);
      step.apply(at, true);
      EXPECT_EQ(at, to);
      step.apply(at, false);
      EXPECT_EQ(at, from);
    }
  EXPECT_EQ(FieldChange<std::vector<int>>(some, fewer).size(), 2u);
}

}  // namespace
}  // namespace tsukimi
