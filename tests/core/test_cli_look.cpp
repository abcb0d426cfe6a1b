// The look from the command line: every name of the table, proposals, the air, hot pixels.
#include <gtest/gtest.h>

#include "adjust/parameters.h"
#include "core/cli_runner.h"

namespace tsukimi {
namespace {
using test::run;
using test::shot_folder;

nlohmann::json planned(const std::string& options, const TempDir& dir) {
  const std::string shoot = (dir / "s.tsukimi").string();
  const auto r = run("plan " + shot_folder().string() + " --out " + shoot + " " + options);
  EXPECT_EQ(r.code, 0) << r.err;
  return nlohmann::json::parse(std::ifstream(shoot)).at("decisions").at("key_frames");
}

TEST(CliLook, EveryRowOfTheTableCanBeSetAndHasItsRange) {
  TempDir dir;
  std::string options;
  for (const auto& row : parameter_table())
    options += " --set " + std::string(row.name) + "=" + std::to_string(row.max);
  const auto keys = planned(options, dir);
  ASSERT_EQ(keys.size(), 1u);
  for (const auto& row : parameter_table())
    EXPECT_DOUBLE_EQ(keys[0].at("look").at(row.name), row.max) << row.name;
  for (const char* bad : {"haze=101", "tone_curve_2_out=-1", "hue_ring_7_hue=3", "sharpness=-5"})
    EXPECT_EQ(run("plan " + shot_folder().string() + " --out " + (dir / "b.tsukimi").string() +
                  " --set " + bad)
                  .code,
              2)
        << bad;
}

// The window's words, where they are others than the names in files.
TEST(CliLook, TheWordsOfTheWindowAreUnderstood) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string();
  const auto r = run("plan " + shot_folder().string() + " --out " + shoot +
                     " --steps --keep-slower-than 25 --set clear_air=31 --set sharpness_width=1.2"
                     " --set sharpness_spare=7 --set remove_noise=8 --set remove_colour_noise=9"
                     " --set look.remove_hot_pixels=10");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto d = nlohmann::json::parse(std::ifstream(shoot)).at("decisions");
  EXPECT_EQ(d.at("level").at("on"), true);
  EXPECT_EQ(d.at("deflicker").at("period"), 25);
  const auto look = d.at("key_frames")[0].at("look");
  EXPECT_EQ(look.at("haze"), 31);
  EXPECT_EQ(look.at("sharpness_radius"), 1.2);
  EXPECT_EQ(look.at("sharpness_masking"), 7);
  EXPECT_EQ(look.at("noise"), 8);
  EXPECT_EQ(look.at("colour_noise"), 9);
  EXPECT_EQ(look.at("hot_pixels"), 10);
  EXPECT_FALSE(look.contains("clear_air")) << "files keep their names";
}

TEST(CliLook, AProposalIsPlainValuesAndWhatIsAskedForStands) {
  TempDir dir;
  const auto keys = planned("--keys 0,11 --propose --set contrast=33@11", dir);
  ASSERT_EQ(keys.size(), 2u);
  EXPECT_GT(keys[1].at("look").at("exposure").get<double>(),
            keys[0].at("look").at("exposure").get<double>())
      << "it gets dark";
  EXPECT_EQ(keys[0].at("look").at("contrast"), 12);
  EXPECT_EQ(keys[1].at("look").at("contrast"), 33);
}

TEST(CliLook, TheAirIsMeasuredPerKeyFrameUnlessItIsGiven) {
  TempDir dir;
  const auto measured = planned("--keys 0,11 --set haze=30", dir);
  EXPECT_NE(measured[0].at("look").at("airlight_red"), measured[1].at("look").at("airlight_red"));
  const auto given = planned("--keys 0,11 --set haze=30 --set airlight_red=0.5", dir);
  for (const auto& k : given) EXPECT_EQ(k.at("look").at("airlight_red"), 0.5);
}

TEST(CliLook, HotPixelsAreMendedInTheExport) {
  TempDir dir;
  auto bytes = [&](const std::string& set, const std::string& to) {
    const std::string shoot = (dir / "s.tsukimi").string();
    EXPECT_EQ(run("plan " + shot_folder().string() + " --out " + shoot + set).code, 0);
    EXPECT_EQ(run("export " + shoot + " --to " + (dir / to).string() +
                  " --name a_## --format tiff16 --frames 10-10")
                  .code,
              0);
    std::ifstream in(dir / to / "a_11.tif", std::ios::binary);
    return std::string((std::istreambuf_iterator<char>(in)), {});
  };
  const std::string plain = bytes("", "a"), mended = bytes(" --set hot_pixels=100", "b"),
                    again = bytes(" --set hot_pixels=100", "c");
  EXPECT_EQ(plain.size(), mended.size());
  EXPECT_NE(plain, mended);
  EXPECT_EQ(mended, again) << "what is remembered gives the same as what was found";
}

}  // namespace
}  // namespace tsukimi
