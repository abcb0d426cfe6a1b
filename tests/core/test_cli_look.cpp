// SPDX-License-Identifier: GPL-3.0-or-later
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
  const auto r =
      run("plan --overwrite " + shot_folder().string() + " --out " + shoot + " " + options);
  EXPECT_EQ(r.code, 0) << r.err;
  return nlohmann::json::parse(std::ifstream(shoot)).at("decisions").at("key_frames");
}

TEST(CliLook, EveryRowOfTheTableCanBeSetAndHasItsRange) {
  TempDir dir;
  std::string options;
  for (const auto& row : kLook.rows())
    options += " --set " + std::string(row.name) + "=" + std::to_string(row.max);
  const auto keys = planned(options, dir);
  ASSERT_EQ(keys.size(), 1u);
  for (const auto& row : kLook.rows())
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
  const auto r = run("plan --overwrite " + shot_folder().string() + " --out " + shoot +
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
    EXPECT_EQ(run("plan --overwrite " + shot_folder().string() + " --out " + shoot + set).code, 0);
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

// What the window does with key frames and looks.
TEST(CliLook, CarriesPartsSavesLooksAndProposes) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string(),
                    data = "XDG_DATA_HOME=" + dir.path().string() + " ";
  ASSERT_EQ(run("plan --overwrite " + shot_folder().string() + " --out " + shoot +
                " --keys 0,5,11 --set shadows=10 --set shadows=40@5 --set exposure=1@5"
                " --set tone_curve_2_out=70@5 --easing hold@5 --easing eased@0")
                .code,
            0);
  auto keys = [&] {
    return nlohmann::json::parse(std::ifstream(shoot)).at("decisions").at("key_frames");
  };
  EXPECT_EQ(keys()[0].at("easing"), "eased");
  EXPECT_EQ(keys()[1].at("easing"), "hold");
  EXPECT_FALSE(keys()[2].contains("easing"));
  const auto before = keys();
  const auto list =
      run("carry " + shoot + " --from 5 --to after --parts shadows,tone_curve --list --json");
  ASSERT_EQ(list.code, 0) << list.err;
  const auto changes = nlohmann::json::parse(list.out).at("changes");
  ASSERT_EQ(changes.size(), 2u);
  EXPECT_EQ(changes[0].at("frame"), 11);
  EXPECT_EQ(changes[0].at("name"), "shadows");
  EXPECT_EQ(changes[0].at("from"), 10);
  EXPECT_EQ(changes[0].at("to"), 40);
  EXPECT_EQ(keys(), before) << "it only lists";
  ASSERT_EQ(run("carry " + shoot + " --from 5 --to after --parts shadows,tone_curve").code, 0);
  EXPECT_EQ(keys()[2].at("look").at("shadows"), 40);
  EXPECT_EQ(keys()[2].at("look").at("tone_curve_2_out"), 70);
  EXPECT_EQ(keys()[2].at("look").at("exposure"), 0);
  EXPECT_EQ(keys()[0], before[0]);
  EXPECT_EQ(run("carry " + shoot + " --from 5 --parts shadow").code, 2);
  EXPECT_EQ(run("carry " + shoot + " --from 5 --to someday").code, 2);
  EXPECT_EQ(run("carry " + shoot + " --from 12").code, 1);

  // Kept under a name, without exposure, and put onto another shoot.
  const auto kept = run("save-look " + shoot + " --frame 5 --name 'Quay light' --group Mine", data);
  ASSERT_EQ(kept.code, 0) << kept.err;
  const auto listed = nlohmann::json::parse(run("looks --json", data).out).at("looks");
  ASSERT_EQ(listed.size(), 9u);
  EXPECT_EQ(listed[8].at("name"), "Quay light");
  EXPECT_FALSE(listed[8].at("look").contains("exposure"));
  EXPECT_EQ(listed[8].at("look").at("shadows"), 40);
  const std::string other = (dir / "o.tsukimi").string();
  ASSERT_EQ(run("plan --overwrite " + shot_folder().string() + " --out " + other +
                    " --keys 0,11 --look 'Quay light@11' --look Dusk@0 --set shadows=33@0",
                data)
                .code,
            0);
  const auto put = nlohmann::json::parse(std::ifstream(other)).at("decisions").at("key_frames");
  EXPECT_EQ(put[1].at("look").at("shadows"), 40);
  EXPECT_EQ(put[1].at("look").at("tone_curve_2_out"), 70);
  EXPECT_EQ(put[0].at("look").at("shadows"), 33) << "single values come after looks";
  EXPECT_EQ(put[0].at("look").at("contrast"), 20);
  const auto none = run(
      "plan --overwrite " + shot_folder().string() + " --out " + other + " --look Nothing", data);
  EXPECT_EQ(none.code, 1);
  test::expect_one_line(none, "Nothing");

  const auto proposed = run("propose " + other + " --keys 4 --json");
  ASSERT_EQ(proposed.code, 0) << proposed.err;
  const auto j = nlohmann::json::parse(proposed.out);
  EXPECT_EQ(j.at("there"), (std::vector<int>{0, 11}));
  EXPECT_LE(j.at("proposed").size(), 2u);
}

}  // namespace
}  // namespace tsukimi
