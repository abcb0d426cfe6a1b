// SPDX-License-Identifier: GPL-3.0-or-later
// tsukimi-batch on damaged input, stills, and what it must never do.
#include <gtest/gtest.h>

#include "core/cli_runner.h"

namespace tsukimi {
namespace {
using test::expect_one_line;
using test::run;
using test::shot_folder;

std::map<fs::path, std::pair<std::uintmax_t, fs::file_time_type>> state_of(const fs::path& folder) {
  std::map<fs::path, std::pair<std::uintmax_t, fs::file_time_type>> out;
  for (const auto& e : fs::directory_iterator(folder))
    out[e.path()] = {e.file_size(), e.last_write_time()};
  return out;
}

TEST(CliOriginals, AreNeverWrittenTo) {
  TempDir dir;
  const auto before = state_of(shot_folder());
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot +
                " --keys auto --level --deflicker 6")
                .code,
            0);
  ASSERT_EQ(run("measure " + shoot).code, 0);
  ASSERT_EQ(
      run("export " + shoot + " --to " + (dir / "o").string() + " --name a_## --format jpeg").code,
      0);
  const auto refused =
      run("export " + shoot + " --to " + shot_folder().string() + " --name a_## --format jpeg");
  EXPECT_EQ(refused.code, 1);
  expect_one_line(refused, "originals");
  EXPECT_EQ(state_of(shot_folder()), before);
}

TEST(CliExport, AgainWritesNothingAndAnotherLookAsksFirst) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string(), to = (dir / "o").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot).code, 0);
  const std::string go =
      "export " + shoot + " --to " + to + " --name a_## --format jpeg --size 120x80";
  ASSERT_EQ(run(go).code, 0);
  const auto before = state_of(to);
  const auto again = run(go);
  EXPECT_EQ(again.code, 0);
  EXPECT_NE(again.out.find("12 were there already"), std::string::npos) << again.out;
  ASSERT_EQ(
      run("plan --overwrite " + shot_folder().string() + " --out " + shoot + " --set exposure=1")
          .code,
      0);
  const auto refused = run(go);
  EXPECT_EQ(refused.code, 1);
  expect_one_line(refused, "a_01.jpg");
  const auto after = state_of(to);
  for (const auto& [path, state] : before) EXPECT_EQ(after.at(path), state) << path;
  EXPECT_EQ(run(go + " --overwrite").code, 0);
}

TEST(CliExport, StillsCanBeASequenceToo) {
  TempDir dir;
  const std::string a = (dir / "a.tsukimi").string(), b = (dir / "b.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + a).code, 0);
  ASSERT_EQ(
      run("export " + a + " --to " + (dir / "tiff").string() + " --name t_## --format tiff16").code,
      0);
  const auto inspect = run("inspect " + (dir / "tiff").string() + " --json");
  ASSERT_EQ(inspect.code, 0) << inspect.err;
  const auto facts = nlohmann::json::parse(inspect.out);
  EXPECT_EQ(facts["frames"].size(), 12u);
  EXPECT_NEAR(facts["interval"].get<double>(), 20, 0.05);  // capture times went along
  ASSERT_EQ(
      run("plan " + (dir / "tiff").string() + " --out " + b + " --deflicker 6 --crop 1:1").code, 0);
  ASSERT_EQ(run("export " + b + " --to " + (dir / "square").string() +
                " --name s_## --format jpeg --size 90x90")
                .code,
            0);
  EXPECT_EQ(read_frame_info(dir / "square" / "s_12.jpg").size, (Size{90, 90}));
}

TEST(CliExport, ANoteSaysWhenTheShapeIsCut) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot).code, 0);
  const auto r = run("export " + shoot + " --to " + (dir / "o").string() +
                     " --name a_## --format jpeg --size 160x90 --frames 0-0");
  EXPECT_EQ(r.code, 0);
  expect_one_line(r, "another shape");
  EXPECT_EQ(read_frame_info(dir / "o" / "a_01.jpg").size, (Size{160, 90}));
}

TEST(CliExport, RangesOutsideTheFilmAreRefused) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot).code, 0);
  const std::string go =
      "export " + shoot + " --to " + (dir / "o").string() + " --name a_## --format jpeg --frames ";
  EXPECT_EQ(run(go + "5-40").code, 1);
  EXPECT_EQ(run(go + "9-3").code, 2);
  EXPECT_EQ(run(go + "all").code, 2);
}

TEST(CliInspect, OneBadFileIsOneBadFrame) {
  TempDir dir;
  fs::copy(shot_folder(), dir / "h", fs::copy_options::recursive);
  std::vector<fs::path> files(fs::directory_iterator(dir / "h"), {});
  std::sort(files.begin(), files.end());
  fs::resize_file(files[2], 0);
  std::ofstream(dir / "h" / "readme.txt") << "tide";
  const auto r = run("inspect " + (dir / "h").string() + " --json");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto j = nlohmann::json::parse(r.out);
  EXPECT_NE(j["frames"][2]["problem"].get<std::string>().find("empty"), std::string::npos);
  EXPECT_FALSE(j["frames"][3].contains("problem"));
  EXPECT_NE(j["notes"].dump().find("1 other file"), std::string::npos);
}

TEST(CliInspect, StrangeNamesComeThrough) {
  TempDir dir;
  fs::create_directories(dir / "h");
  std::vector<fs::path> files(fs::directory_iterator(shot_folder()), {});
  std::sort(files.begin(), files.end());
  fs::copy_file(files[0], dir / "h" / "月見 1.dng");
  fs::copy_file(files[1], dir / "h" / "two\nlines 2.dng");
  const auto r = run("inspect " + (dir / "h").string() + " --json");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto j = nlohmann::json::parse(r.out);
  ASSERT_EQ(j["frames"].size(), 2u);
  std::set<std::string> names{j["frames"][0]["file"], j["frames"][1]["file"]};
  EXPECT_TRUE(names.count("月見 1.dng") && names.count("two\nlines 2.dng"));
}

TEST(CliPlan, FollowLightLetsTheEveningFallFurther) {
  TempDir dir;
  auto drop = [&](const std::string& extra) {
    const std::string shoot = (dir / "s.tsukimi").string();
    EXPECT_EQ(
        run("plan --overwrite " + shot_folder().string() + " --out " + shoot + " --level " + extra)
            .code,
        0);
    const auto m = nlohmann::json::parse(run("measure " + shoot + " --json").out);
    return m["frames"][0]["levelled"].get<double>() - m["frames"][11]["levelled"].get<double>();
  };
  EXPECT_GT(drop("--follow-light 1"), drop("") + 2);
}

}  // namespace
}  // namespace tsukimi
