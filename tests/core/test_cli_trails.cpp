// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails and held stars by command: what is asked for, and what bad input gets.
#include <algorithm>

#include "cli_runner.h"
#include "document/files/shoot_file.h"

namespace tsukimi {
namespace {

// Thirty frames of a night, and another that is its first two.
struct Nights {
  TempDir dir;
  fs::path night = dir / "night", two = dir / "two";
  Nights() {
    const std::string how =
        " --size 600x400 --night --interval 40 --seed 721 --no-wobble "
        "--no-ruined --no-wrong-aperture --no-gap --no-flicker ";
    EXPECT_EQ(test::run("simulate --frames 30 --out " + night.string() + how).code, 0);
    fs::create_directories(two);
    std::vector<fs::path> files(fs::directory_iterator(night), {});
    std::ranges::sort(files);
    for (int k : {0, 1})
      fs::copy(files[static_cast<std::size_t>(k)],
               two / files[static_cast<std::size_t>(k)].filename());
  }
};
const Nights& nights() {
  static const Nights made;
  return made;
}

test::Ran plan(const fs::path& folder, const fs::path& file, const std::string& how) {
  return test::run("plan " + folder.string() + " --out " + file.string() + " --overwrite " + how);
}

TEST(CliTrails, WhatIsAskedForIsDecided) {
  const TempDir dir;
  const fs::path file = dir / "n.tsukimi";
  auto r =
      plan(nights().night, file,
           "--trails comet:40 --trail-length '0@0;60@20;0@29' --trail-fade 6 --trails-sky auto "
           "--ground mean:8 --keep-out streaks --trail-every 2 --trails-back");
  ASSERT_EQ(r.code, 0) << r.err;
  auto shoot = open_shoot(file);
  ASSERT_TRUE(shoot);
  const Trails& t = shoot->decisions.trails;
  EXPECT_EQ(t.kind, TrailKind::comet);
  ASSERT_EQ(t.values.keys.size(), 3u);
  EXPECT_EQ(t.values.keys[1].values[Param::trail_length], 60);
  EXPECT_EQ(t.values.keys[2].values[Param::trail_fade], 6);
  EXPECT_EQ(t.ground, TrailGround::mean);
  EXPECT_EQ(t.ground_mean, 8);
  EXPECT_TRUE(t.keep_out && t.falls_back && t.close_gaps);
  EXPECT_EQ(t.every, 2);
  ASSERT_EQ(shoot->decisions.places.size(), 1u);
  EXPECT_TRUE(shoot->decisions.places[0].sky);

  r = plan(nights().night, file,
           "--trails comet:12min --open-gaps --ground frame:7 --steady stars --hold-stars "
           "'0@0;100@29'");
  ASSERT_EQ(r.code, 0) << r.err;
  shoot = open_shoot(file);
  EXPECT_EQ(shoot->decisions.trails.unit, TrailUnit::minutes);
  EXPECT_EQ(shoot->decisions.trails.values.keys[0].values[Param::trail_length], 12);
  EXPECT_FALSE(shoot->decisions.trails.close_gaps);
  EXPECT_EQ(shoot->decisions.trails.ground_frame, FrameId{7});
  EXPECT_EQ(shoot->decisions.framing.steady.how, Steadying::stars);
  EXPECT_EQ(shoot->decisions.framing.stars.keys.size(), 2u);
  r = test::run("export " + file.string() + " --to " + (dir / "out").string() +
                " --name f_## --format jpeg --size 120x80 --frames last");
  ASSERT_EQ(r.code, 0) << r.err;
  EXPECT_TRUE(fs::exists(dir / "out" / "f_30.jpg"));
  EXPECT_FALSE(fs::exists(dir / "out" / "f_29.jpg"));
}

TEST(CliTrails, WrongWordsAreRefused) {
  const TempDir dir;
  for (const char* bad : {"--trails rain", "--trails comet:x", "--trails comet:2000",
                          "--trail-length 5", "--trails grow --trail-length 5",
                          "--trails comet:5 --trail-length 5min", "--trails grow --ground frame:x",
                          "--trails grow --ground mean:1", "--trails grow --keep-out x",
                          "--ground mean:5", "--trails-back", "--steady sun", "--hold-stars 120"})
    EXPECT_EQ(plan(nights().night, dir / "n.tsukimi", bad).code, 2) << bad;
  for (const char* bad : {"--trails grow --ground frame:99", "--trails comet:5 --trail-length 5@99",
                          "--trails grow --trails-sky 3", "--hold-stars 50"}) {
    const auto r = plan(nights().night, dir / "n.tsukimi", bad);
    EXPECT_EQ(r.code, 1) << bad;
    EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << r.err;
  }
  EXPECT_FALSE(fs::exists(dir / "n.tsukimi"));
}

// Two frames; daylight: a sentence each, and nothing is closed, kept out or held.
TEST(CliTrails, WhereTheSkyIsNotKnownThatIsSaidAndNothingIsTurned) {
  const TempDir dir;
  const fs::path file = dir / "n.tsukimi";
  auto r = plan(nights().two, file, "--steady stars");
  EXPECT_EQ(r.code, 0);
  test::expect_one_line(r, "fewer than three frames");
  r = plan(nights().two, file, "--trails grow --trails-sky auto");
  EXPECT_EQ(r.code, 1);
  test::expect_one_line(r, "fewer than three frames");
  r = plan(test::shot_folder(), file, "--steady stars --trails grow");
  EXPECT_EQ(r.code, 0);
  test::expect_one_line(r, "how the sky turns");
  r = test::run("export " + file.string() + " --to " + (dir / "out").string() +
                " --name f_## --format jpeg --size 120x80 --frames 0-2");
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_NE(r.err.find("how the sky turns"), std::string::npos) << r.err;
}

}  // namespace
}  // namespace tsukimi
