// SPDX-License-Identifier: GPL-3.0-or-later
// Which shots are one moment: by pauses, by exposures, and what is said of those that do not fit.
#include "document/files/shoot_file.h"
#include "folder/sequence.h"
#include "sim/simulate.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::TempDir;

// A camera that shoots these exposures (stops against 1/60 s) every `interval` s, `apart` s
// between.
std::vector<FrameInfo> bracketed(const std::vector<double>& stops, int moments, double interval,
                                 double apart) {
  std::vector<FrameInfo> out;
  for (int m = 0; m < moments; ++m) {
    double at = 1e9 + m * interval;
    for (const double s : stops) {
      FrameInfo f;
      f.file = "TSK_" + std::to_string(1000 + out.size()) + ".dng";
      f.time = at;
      f.shutter = std::exp2(s) / 64;
      f.aperture = 8, f.iso = 100;
      f.lens = "35 mm";
      f.size = {600, 400};
      at += f.shutter + apart;
      out.push_back(f);
    }
  }
  return out;
}

std::vector<std::size_t> sizes(const std::vector<FrameInfo>& frames) {
  std::vector<std::size_t> out;
  for (const FrameInfo& f : frames) out.push_back(1 + f.others.size());
  return out;
}

TEST(Moments, ArePartedByTheirPauses) {
  for (const auto& stops :
       {std::vector<double>{0, -2, 2}, {-4, -2, 0, 2, 4}, {4.0 / 3, 0, -4.0 / 3}, {0, 2}}) {
    const auto shots = bracketed(stops, 12, 30, 0.4);
    const Bracketing how = find_brackets(shots);
    ASSERT_EQ(how.set_size, static_cast<int>(stops.size()));
    EXPECT_GT(how.pause, 0.4);
    EXPECT_LT(how.pause, 29);
    const auto frames = group_moments(shots, how);
    ASSERT_EQ(frames.size(), 12u);
    for (const FrameInfo& f : frames) {
      EXPECT_EQ(f.others.size(), stops.size() - 1);
      EXPECT_TRUE(f.is_merged());
    }
    // The one in the middle is the frame.
    if (stops.size() % 2) {
      EXPECT_NEAR(exact_gain(frames[3]), exact_gain(shots[0]) - stops[0], 0.02);
    }
    const MomentReport report = report_moments(frames, how);
    EXPECT_TRUE(report.whole());
    EXPECT_EQ(report.files, static_cast<int>(12 * stops.size()));
    const auto again = shots_of(frames);
    ASSERT_EQ(again.size(), shots.size());
    for (std::size_t k = 0; k < again.size(); ++k) EXPECT_EQ(again[k].file, shots[k].file);
  }
}

TEST(Moments, AreToldByExposuresWhereNoPausePartsThem) {
  const auto shots = bracketed({0, -2, 2}, 20, 1.5, 0.48);
  const Bracketing how = find_brackets(shots);
  EXPECT_EQ(how.set_size, 3);
  EXPECT_EQ(how.pause, 0);
  const auto frames = group_moments(shots, how);
  EXPECT_EQ(frames.size(), 20u);
  EXPECT_TRUE(report_moments(frames, how).whole());
}

TEST(Moments, PlainSequencesHaveNone) {
  // A photographer who follows the dusk in thirds; a meter that swings; one exposure.
  for (const int kind : {0, 1, 2}) {
    auto shots = bracketed({0}, 90, 20, 0);
    for (std::size_t k = 0; k < shots.size(); ++k) {
      const double stops = kind == 0   ? std::floor(static_cast<double>(k) / 4) / 3
                           : kind == 1 ? std::lround(3 * std::sin(static_cast<double>(k * k))) / 3.0
                                       : 0;
      shots[k].shutter *= std::exp2(stops);
    }
    EXPECT_EQ(find_brackets(shots).set_size, 1) << kind;
  }
}

TEST(Moments, TheDuskMayFallMeanwhile) {
  auto shots = bracketed({0, -2, 2}, 30, 30, 0.4);
  for (std::size_t k = 0; k < shots.size(); ++k)
    shots[k].shutter *= std::exp2(std::floor(k / 9) / 3);
  const Bracketing how = find_brackets(shots);
  EXPECT_EQ(how.set_size, 3);
  EXPECT_TRUE(report_moments(group_moments(shots, how), how).whole());
}

TEST(Moments, OnesThatAreNotLikeTheOthersAreListedWithTheReason) {
  for (const double interval : {30.0, 1.5}) {  // by pauses, by exposures
    auto shots = bracketed({0, -2, 2}, 20, interval, 0.48);
    shots.erase(shots.begin() + 3 * 7 + 2);  // moment 7 without its brightest
    shots.erase(shots.begin() + 3 * 4);      // moment 4 without its middle
    const Bracketing how = find_brackets(shots);
    ASSERT_EQ(how.set_size, 3);
    const auto frames = group_moments(shots, how);
    ASSERT_EQ(frames.size(), 20u) << interval;
    const MomentReport report = report_moments(frames, how);
    ASSERT_EQ(report.irregular.size(), 2u);
    EXPECT_FALSE(report.whole());
    EXPECT_EQ(report.irregular[0].frame, 4);
    EXPECT_EQ(report.irregular[0].why, "2 of 3: the middle one is missing");
    EXPECT_EQ(report.irregular[1].frame, 7);
    EXPECT_EQ(report.irregular[1].why, "2 of 3: +2 stops is missing");
    // What is there of them is merged all the same.
    EXPECT_EQ(frames[7].others.size(), 1u);
    EXPECT_NEAR(exact_gain(frames[7]), exact_gain(frames[6]), 0.02);
    // And counts as exposed as the others are.
    EXPECT_NEAR(std::fabs(frames[4].as_if), 2, 0.02);
    EXPECT_NEAR(exact_gain(frames[4]), exact_gain(frames[6]), 0.02);
  }
}

// While the dusk falls by a stop a moment: what is there tells which one is missing.
TEST(Moments, WhatIsMissingIsToldByWhatIsThere) {
  auto shots = bracketed({0, -2, 2}, 12, 30, 0.4);
  for (std::size_t k = 0; k < shots.size(); ++k)
    shots[k].iso *= std::exp2(static_cast<double>(k / 3) / 3 * 2);
  shots.erase(shots.begin() + 3 * 6 + 1);
  const Bracketing how = find_brackets(shots);
  ASSERT_EQ(how.set_size, 3);
  const auto frames = group_moments(shots, how);
  const auto report = report_moments(frames, how);
  ASSERT_EQ(report.irregular.size(), 1u);
  EXPECT_EQ(report.irregular[0].why, "2 of 3: -2 stops is missing");
  EXPECT_EQ(frames[6].as_if, 0) << "its middle shot is there";
  EXPECT_NEAR(exact_gain(frames[6]) - exact_gain(frames[5]), 2.0 / 3, 0.05);
}

// A lens without contacts tells no aperture: what the others tell is enough.
TEST(Moments, NeedNoAperture) {
  auto shots = bracketed({0, -2, 2}, 12, 30, 0.4);
  for (FrameInfo& f : shots) f.aperture = 0;
  const Bracketing how = find_brackets(shots);
  ASSERT_EQ(how.set_size, 3);
  EXPECT_TRUE(report_moments(group_moments(shots, how), how).whole());
  const auto parts = split_sequences(shots);
  ASSERT_EQ(parts.size(), 1u);
  EXPECT_EQ(parts[0].kind, PartKind::brackets);
}

// In a folder with other sequences: a shot that is missing parts no brackets, whatever the light
// does.
TEST(Moments, ThatLackAShotStayInTheirSequence) {
  for (const double interval : {30.0, 1.5}) {
    auto shots = bracketed({0, -2, 2}, 20, interval, 0.48);
    // A stop a moment, where pauses tell them apart.
    for (std::size_t k = 0; interval > 2 && k < shots.size(); ++k)
      shots[k].iso *= std::exp2(static_cast<double>(std::min<std::size_t>(k / 3, 7)));
    shots.erase(shots.begin() + 3 * 7 + 2);
    auto plain = bracketed({0}, 20, 20, 0);
    for (std::size_t k = 0; k < plain.size(); ++k) {
      plain[k].time += 1e5;
      plain[k].file = "TSK_" + std::to_string(2000 + k) + ".dng";
    }
    shots.insert(shots.end(), plain.begin(), plain.end());
    const auto parts = split_sequences(shots);
    ASSERT_EQ(parts.size(), 2u) << interval;
    EXPECT_EQ(parts[0].kind, PartKind::brackets);
    EXPECT_EQ(parts[0].frames.size(), 59u) << interval;
    EXPECT_EQ(parts[1].kind, PartKind::sequence);
  }
}

TEST(Moments, ShotsAreMovedByHand) {
  auto shots = bracketed({0, -2, 2}, 12, 30, 0.4);
  // The camera waited within a moment: its last shot seems to be a moment by itself.
  for (std::size_t k = 3 * 5 + 2; k < shots.size(); ++k) shots[k].time += 10;
  Bracketing how = find_brackets(shots);
  ASSERT_EQ(how.set_size, 3);
  EXPECT_EQ(sizes(group_moments(shots, how))[5], 2u);
  how.moved = {{shots[3 * 5 + 2].file, -1}};
  const auto frames = group_moments(shots, how);
  EXPECT_EQ(frames.size(), 12u);
  EXPECT_TRUE(report_moments(frames, how).whole());
  // And a file that is not there, or has nowhere to go, changes nothing.
  how.moved.push_back({"other.dng", 1});
  how.moved.push_back({shots.front().file, -1});
  EXPECT_EQ(group_moments(shots, how), frames);
}

TEST(Moments, OneShotOfEachIsTakenOnRequest) {
  const auto shots = bracketed({0, -2, 2}, 10, 30, 0.4);
  Bracketing how = find_brackets(shots);
  for (int k = 1; k <= 3; ++k) {
    how.exposure = k;
    const auto frames = group_moments(shots, how);
    ASSERT_EQ(frames.size(), 10u);
    for (std::size_t m = 0; m < frames.size(); ++m) {
      EXPECT_EQ(frames[m].file, shots[3 * m + static_cast<std::size_t>(k) - 1].file);
      EXPECT_FALSE(frames[m].is_merged());
      EXPECT_EQ(frames[m].others.size(), 2u);
    }
  }
}

TEST(Moments, WhatCannotBeReadIsAFrameOfItsOwn) {
  auto shots = bracketed({0, -2, 2}, 10, 30, 0.4);
  shots[3 * 4 + 1].problem = "is empty (0 bytes)";
  const Bracketing how = find_brackets(shots);
  ASSERT_EQ(how.set_size, 3);
  const auto frames = group_moments(shots, how);
  const MomentReport report = report_moments(frames, how);
  EXPECT_FALSE(report.irregular.empty());
  EXPECT_EQ(shots_of(frames).size(), shots.size());
  for (const FrameInfo& f : frames)
    for (const FrameInfo& other : f.others) EXPECT_TRUE(other.usable());
}

TEST(Moments, AnotherLensAndMomentsThatOverlapAreSaid) {
  auto shots = bracketed({0, -2, 2}, 12, 30, 0.4);
  shots[3 * 6 + 1].lens = "85 mm";
  const Bracketing how{.set_size = 3};
  for (std::size_t k = 3 * 9; k < 3 * 10; ++k) shots[k].time -= 31;
  const auto report = report_moments(group_moments(shots, how), how);
  ASSERT_EQ(report.irregular.size(), 2u);
  EXPECT_EQ(report.irregular[0].why, "its shots are through different lenses");
  EXPECT_EQ(report.irregular[1].why, "it begins before the moment before it ends");
}

// A camera that is still shooting: whatever comes together, in the end the moments are the same.
TEST(Moments, ShotsMayJoinOneByOne) {
  const auto shots = bracketed({0, -2, 2}, 8, 30, 0.4);
  const Bracketing how = find_brackets(shots);
  const auto frames = group_moments(shots, how);
  for (const std::size_t at_once : {1, 2, 5}) {
    Shoot shoot;
    shoot.sequence.frames = {shots.begin(), shots.begin() + 9};
    group_frames(shoot.sequence, how);
    shoot.decisions.brackets = how;
    set_aside(shoot, {1}, true);
    for (std::size_t k = 9; k < shots.size(); k += at_once)
      append_frames(shoot, {shots.begin() + static_cast<std::ptrdiff_t>(k),
                            shots.begin() +
                                static_cast<std::ptrdiff_t>(std::min(k + at_once, shots.size()))});
    ASSERT_EQ(shoot.sequence.frames.size(), frames.size());
    for (std::size_t k = 0; k < frames.size(); ++k)
      EXPECT_EQ(shoot.sequence.frames[k].file, frames[k].file);
    EXPECT_TRUE(is_set_aside(shoot, 1));
    EXPECT_EQ(shoot.decisions.set_aside.size(), 1u);
  }
}

// Of a folder: moments are the frames, keep what was decided, and are the same when opened again.
TEST(Moments, AreTheFramesOfAShoot) {
  const TempDir dir;
  sim::SimulateOptions o;
  o.folder = dir / "dawn";
  o.size = {240, 160};
  o.camera.frames = 8;
  o.camera.bracket = 3;
  o.camera.seed = 41;
  o.camera.gap = o.camera.ruined = o.camera.wrong_aperture = false;
  ASSERT_TRUE(sim::simulate(o));
  Shoot shoot = *start_shoot(*scan_folder(o.folder));
  ASSERT_EQ(shoot.frame_count(), 8);
  EXPECT_EQ(shoot.decisions.brackets.set_size, 3);
  EXPECT_TRUE(shoot.sequence.gaps.empty());
  set_aside(shoot, {5}, true);
  ASSERT_TRUE(save_shoot(shoot, dir / "a.tsukimi"));
  const auto again = open_shoot(dir / "a.tsukimi");
  ASSERT_TRUE(again) << again.error().message;
  EXPECT_EQ(again->sequence.frames.size(), 8u);
  EXPECT_EQ(again->decisions, shoot.decisions);
  for (std::size_t k = 0; k < 8; ++k) {
    EXPECT_EQ(again->sequence.frames[k].file, shoot.sequence.frames[k].file);
    EXPECT_EQ(again->sequence.frames[k].others.size(), 2u);
    EXPECT_TRUE(again->sequence.frames[k].is_merged());
  }
  // Every shot a frame, and back: what was set aside is, of the moment that has its shot.
  group_shoot(shoot, {});
  EXPECT_EQ(shoot.frame_count(), 24);
  EXPECT_TRUE(is_set_aside(shoot, 3 * 5 + 1));
  EXPECT_EQ(shoot.decisions.set_aside.size(), 1u);
  group_shoot(shoot, again->decisions.brackets);
  EXPECT_EQ(shoot.frame_count(), 8);
  EXPECT_TRUE(is_set_aside(shoot, 5));
  EXPECT_EQ(shoot.decisions, again->decisions);
  // One of its files goes: the frame says so, and nothing else is lost.
  std::filesystem::remove(o.folder / shoot.sequence.frames[2].others[1].file);
  const auto lacking = open_shoot(dir / "a.tsukimi");
  ASSERT_TRUE(lacking);
  EXPECT_FALSE(lacking->sequence.frames[2].usable());
  EXPECT_NE(lacking->sequence.frames[2].problem.find("no longer in the folder"), std::string::npos);
  EXPECT_TRUE(lacking->sequence.frames[3].usable());
}

}  // namespace
}  // namespace tsukimi
