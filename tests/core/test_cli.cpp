// SPDX-License-Identifier: GPL-3.0-or-later
// The contract of tsukimi-batch: exit codes, one line on stderr, JSON.
#include "core/cli_runner.h"

namespace tsukimi {
namespace {
using test::expect_one_line;
using test::run;
using test::shot_folder;

TEST(Cli, FromFramesToFilesInFourCommands) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  const auto inspect = run("inspect " + shot_folder().string() + " --json");
  ASSERT_EQ(inspect.code, 0) << inspect.err;
  const auto facts = nlohmann::json::parse(inspect.out);
  EXPECT_EQ(facts.at("frames").size(), 12u);
  EXPECT_EQ(facts.at("size"), nlohmann::json({240, 160}));
  for (const char* key : {"index", "file", "time", "shutter", "aperture", "iso", "gain"})
    EXPECT_TRUE(facts["frames"][3].contains(key)) << key;
  EXPECT_EQ(facts.at("gaps").size(), 1u);

  const auto plan = run("plan " + shot_folder().string() + " --out " + shoot +
                        " --keys 0,6,11 --set exposure=0.5 --set exposure=1@6 --set contrast=20@0 "
                        "--level --deflicker 8 --crop 16:9 --steady-area 0.1,0.4,0.3,0.2");
  ASSERT_EQ(plan.code, 0) << plan.err;
  std::ifstream file(shoot);
  const auto saved = nlohmann::json::parse(file).at("decisions");
  ASSERT_EQ(saved.at("key_frames").size(), 3u);
  EXPECT_EQ(saved["key_frames"][0]["look"]["exposure"], 0.5);
  EXPECT_EQ(saved["key_frames"][1]["look"]["exposure"], 1.0);
  EXPECT_EQ(saved["key_frames"][0]["look"]["contrast"], 20.0);

  const auto measure = run("measure " + shoot + " --json");
  ASSERT_EQ(measure.code, 0) << measure.err;
  const auto m = nlohmann::json::parse(measure.out);
  ASSERT_EQ(m.at("frames").size(), 12u);
  for (const auto& f : m["frames"]) {
    EXPECT_NEAR(f.at("levelled").get<double>(),
                f.at("as_shot").get<double>() + f.at("level_correction").get<double>(), 1e-9);
    EXPECT_NEAR(f.at("deflickered").get<double>(),
                f.at("levelled").get<double>() + f.at("flicker_correction").get<double>(), 1e-9);
  }
  // Brightness is that of the area: the sky's is another.
  const std::string sky = (dir / "sky.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + sky +
                " --deflicker 8 --steady-area 0.1,0,0.3,0.2")
                .code,
            0);
  const auto of_sky = nlohmann::json::parse(run("measure " + sky + " --json").out);
  double apart = 0;
  for (std::size_t i = 0; i < 12; ++i)
    apart += std::fabs(of_sky["frames"][i]["as_shot"].get<double>() -
                       m["frames"][i]["as_shot"].get<double>()) /
             12;
  EXPECT_GT(apart, 0.1);
  const auto& flicker = m["summary"]["deflicker"];
  EXPECT_LT(flicker["left_median"].get<double>(), flicker["before_median"].get<double>());
  EXPECT_LE(flicker["left_median"].get<double>(), flicker["left_p90"].get<double>());
  EXPECT_LE(flicker["worse_share"].get<double>(), 1);
  EXPECT_FALSE(flicker.contains("after_percent"));

  const auto done = run("export " + shoot + " --to " + (dir / "o").string() +
                        " --name h_### --format tiff16 --size 192x108 --frames 2-4");
  ASSERT_EQ(done.code, 0) << done.err;
  for (const char* name : {"h_003.tif", "h_004.tif", "h_005.tif"})
    EXPECT_TRUE(fs::exists(dir / "o" / name)) << name;
  EXPECT_FALSE(fs::exists(dir / "o" / "h_001.tif"));
}

TEST(Cli, WrongUsageIsTwoAndOneLine) {
  const std::string f = shot_folder().string();
  const std::pair<std::string, std::string> cases[] = {
      {"", "subcommand"},
      {"fly", "subcommand"},
      {"simulate", "--out"},
      {"simulate --out /tmp/x --size 12by8", "size"},
      {"simulate --out /tmp/x --size 121x81", "even"},
      {"plan " + f + " --out /tmp/x.tsukimi --set glow=3", "glow"},
      {"plan " + f + " --out /tmp/x.tsukimi --set exposure=99", "exposure"},
      {"plan " + f + " --out /tmp/x.tsukimi --keys one,two", "keys"},
      {"plan " + f + " --out /tmp/x.tsukimi --crop wide", "crop"},
      {"plan " + f + " --out /tmp/x.tsukimi --steady-area 0.5,0.5,0.9,0.9", "area"},
      {"export x.tsukimi --to /tmp/x --name flat --format jpeg", "#"},
      {"export x.tsukimi --to /tmp/x --name h_# --format gif", "gif"},
  };
  for (const auto& [arguments, word] : cases) {
    const auto r = run(arguments);
    EXPECT_EQ(r.code, 2) << arguments << "\n" << r.err;
    expect_one_line(r, word);
  }
}

TEST(Cli, FailuresAreOneAndNameTheFile) {
  TempDir dir;
  fs::create_directories(dir / "empty");
  auto r = run("inspect " + (dir / "empty").string());
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "empty");
  r = run("measure " + (dir / "none.tsukimi").string());
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "none.tsukimi");
  r = run("plan --overwrite " + shot_folder().string() + " --out " + (dir / "x.tsukimi").string() +
          " --keys 0,500");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "500");
  EXPECT_FALSE(fs::exists(dir / "x.tsukimi"));
  r = run("simulate --out " + shot_folder().string() + " --frames 2 --size 120x80");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "not touched");
}

TEST(Cli, ADiskThatFillsUpIsSaidAndTheExportGoesOnLater) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot).code, 0);
  // Files of more than 20 blocks of 512 bytes fail to be written, as on a full disk.
  const std::string command =
      "export " + shoot + " --to " + (dir / "o").string() + " --name h_## --format tiff16";
  auto r = run(command, "ulimit -f 20; ");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "could not be written");
  for (const auto& e : fs::directory_iterator(dir / "o")) EXPECT_NE(e.path().extension(), ".part");
  r = run(command);
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_TRUE(fs::exists(dir / "o" / "h_12.tif"));
}

TEST(Cli, ATruncatedFrameIsLeftOutAndSaid) {
  TempDir dir;
  fs::copy(shot_folder(), dir / "h", fs::copy_options::recursive);
  std::vector<fs::path> files(fs::directory_iterator(dir / "h"), {});
  std::sort(files.begin(), files.end());
  fs::resize_file(files[5], fs::file_size(files[5]) / 2);
  const std::string shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(run("plan --overwrite " + (dir / "h").string() + " --out " + shoot + " --level").code,
            0);
  const auto r =
      run("export " + shoot + " --to " + (dir / "o").string() + " --name h_## --format jpeg");
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_NE(r.err.find(files[5].filename().string()), std::string::npos) << r.err;
  EXPECT_TRUE(fs::exists(dir / "o" / "h_11.jpg"));  // eleven frames, no gap in their numbers
  EXPECT_FALSE(fs::exists(dir / "o" / "h_12.jpg"));
}

TEST(Cli, AutomaticKeyFrames) {
  TempDir dir;
  ASSERT_EQ(run("plan --overwrite " + shot_folder().string() + " --out " +
                (dir / "a.tsukimi").string() + " --keys auto:3")
                .code,
            0);
  std::ifstream file(dir / "a.tsukimi");
  const auto keys = nlohmann::json::parse(file)["decisions"]["key_frames"];
  ASSERT_GE(keys.size(), 2u);
  EXPECT_LE(keys.size(), 3u);
  EXPECT_EQ(keys.front()["frame"], 0);
  EXPECT_EQ(keys.back()["frame"], 11);
}

}  // namespace
}  // namespace tsukimi
