// SPDX-License-Identifier: GPL-3.0-or-later
// Brackets by command: counted, planned, merged in what is exported; and said where they are wrong.
#include "core/cli_runner.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::run;
using test::TempDir;

// Of an OpenEXR file, as FFmpeg reads it.
std::vector<float> light_in(const fs::path& file) {
  FILE* pipe = ::popen(
      ("ffmpeg -v error -i '" + file.string() + "' -f rawvideo -pix_fmt gbrpf32le -").c_str(), "r");
  std::vector<float> out(240 * 160 * 3);
  EXPECT_EQ(std::fread(out.data(), sizeof(float), out.size(), pipe), out.size()) << file;
  ::pclose(pipe);
  return out;
}

class StackByCommand : public testing::Test {
 protected:
  TempDir dir;
  std::string folder = (dir / "dawn").string(), shoot = (dir / "s.tsukimi").string();

  void SetUp() override {
    const auto made = run("simulate --out " + folder +
                          " --frames 9 --size 240x160 --seed 71 --brackets 3 --bracket-thirds 4 "
                          "--no-gap --no-ruined --no-wobble --no-wrong-aperture --no-hot-pixels");
    ASSERT_EQ(made.code, 0) << made.err;
  }
  nlohmann::json stack(const std::string& options = "") {
    const auto said = run("stack " + folder + " --json " + options);
    EXPECT_EQ(said.code, 0) << said.err;
    return nlohmann::json::parse(said.out);
  }
  // The exported frames, one after the other.
  std::string exported(const std::string& options) {
    const auto plan = run("plan " + folder + " --overwrite --out " + shoot + " " + options);
    EXPECT_EQ(plan.code, 0) << plan.err;
    fs::remove_all(dir / "out");
    const auto done =
        run("export " + shoot + " --to " + (dir / "out").string() + " --format tiff16 --name a_##");
    EXPECT_EQ(done.code, 0) << done.err;
    std::string all;
    for (int f = 1; f <= 9; ++f) {
      std::ifstream in(dir / "out" / ("a_0" + std::to_string(f) + ".tif"), std::ios::binary);
      all.append(std::istreambuf_iterator<char>(in), {});
    }
    return all;
  }
};

TEST_F(StackByCommand, TheCountIsProved) {
  const auto all = stack();
  EXPECT_EQ(all.at("files"), 27);
  EXPECT_EQ(all.at("set_size"), 3);
  EXPECT_EQ(all.at("moments").size(), 9u);
  EXPECT_EQ(all.at("whole"), true);
  EXPECT_NEAR(all.at("stops")[0].get<double>(), -4.0 / 3, 0.01);
  fs::remove(fs::path(folder) / all.at("moments")[4].at("shots")[2].get<std::string>());
  const auto one_less = stack();
  EXPECT_EQ(one_less.at("whole"), false);
  ASSERT_EQ(one_less.at("irregular").size(), 1u);
  EXPECT_EQ(one_less.at("irregular")[0].at("moment"), 4);
  EXPECT_EQ(one_less.at("irregular")[0].at("why"), "2 of 3: +1.3 stops is missing");
  EXPECT_EQ(stack("--brackets none").at("set_size"), 1);
}

TEST_F(StackByCommand, MergedFramesAreOthersThanSingleOnes) {
  const std::string merged = exported(""), again = exported("--level --deflicker 20"),
                    middle = exported("--bracket-frame 2"), bright = exported("--bracket-frame 3");
  EXPECT_FALSE(merged.empty());
  EXPECT_NE(merged, middle);
  EXPECT_NE(middle, bright);
  EXPECT_NE(merged, again);
  EXPECT_EQ(merged, exported("--brackets 3")) << "as they are found";
}

// Neither look nor light nor crop is in them, and what is opened again is the same light.
TEST_F(StackByCommand, MergedFramesAreWritten) {
  ASSERT_EQ(run("plan " + folder + " --out " + shoot +
                " --level --deflicker 20 --crop 1:1 --set exposure=2 --set-aside 3")
                .code,
            0);
  for (const std::string kind : {"exr", "dng"}) {
    const std::string to = (dir / kind).string();
    const auto part =
        run("export " + shoot + " --merged " + kind + " --to " + to + " --frames 0-2");
    ASSERT_EQ(part.code, 0) << part.err;
    const auto stamp = fs::last_write_time(fs::path(to) / ("dawn_merged_00002." + kind));
    const auto all = run("export " + shoot + " --merged " + kind + " --to " + to);
    ASSERT_EQ(all.code, 0) << all.err << ": it goes on among DNG files of its own";
    EXPECT_EQ(fs::last_write_time(fs::path(to) / ("dawn_merged_00002." + kind)), stamp);
    EXPECT_TRUE(fs::exists(fs::path(to) / ("dawn_merged_00008." + kind)));
    EXPECT_FALSE(fs::exists(fs::path(to) / ("dawn_merged_00009." + kind)));
    EXPECT_EQ(run("verify " + to).code, 0);
  }
  // A folder of raw files that is none of ours stays refused.
  EXPECT_NE(run("export " + shoot + " --merged dng --to " + folder).code, 0);
  // Developed from the written files as from the shots themselves.
  const std::string plain = (dir / "p.tsukimi").string(), again = (dir / "a.tsukimi").string();
  ASSERT_EQ(run("plan " + folder + " --out " + plain + " --set-aside 3 --close-up").code, 0);
  ASSERT_EQ(run("plan " + (dir / "dng").string() + " --out " + again).code, 0);
  auto frame = [&](const std::string& file) {
    const std::string to = (dir / fs::path(file).stem()).string();
    const auto made = run("export " + file + " --to " + to +
                          " --format exr --space rec2020 --name x_# --frames 4-4");
    EXPECT_EQ(made.code, 0) << made.err;
    return light_in(fs::path(to) / "x_5.exr");
  };
  const auto merged = frame(plain), read = frame(again);
  ASSERT_EQ(merged.size(), read.size());
  double most = 0;
  for (std::size_t i = 0; i < merged.size(); ++i)
    if (merged[i] < 1)
      most = std::max(most, std::fabs(merged[i] - read[i]) / (std::fabs(merged[i]) + 0.01));
  EXPECT_LT(most, 0.01);
}

TEST_F(StackByCommand, WhatCannotBeIsSaid) {
  for (const auto& [options, code, what] : {std::tuple{"--brackets 10", 2, "10"},
                                            {"--brackets two", 2, "two"},
                                            {"--bracket-frame 0", 2, "merged"},
                                            {"--bracket-frame 4", 2, "of 3 shots"},
                                            {"--move-shot x", 2, "NAME:before"},
                                            {"--sequence 4", 1, "no sequence 4"}}) {
    const auto said = run("stack " + folder + " " + options);
    EXPECT_EQ(said.code, code) << options << said.err;
    EXPECT_NE(said.err.find(what), std::string::npos) << said.err;
  }
  // One of a moment's shots is no picture: the frame is left out, with its name.
  const auto all = stack();
  const std::string name = all.at("moments")[4].at("shots")[2];
  std::ofstream(fs::path(folder) / name, std::ios::binary | std::ios::trunc) << "no picture";
  const auto plan = run("plan " + folder + " --out " + shoot);
  EXPECT_EQ(plan.code, 0) << plan.err;
  EXPECT_NE(plan.err.find(name), std::string::npos) << plan.err;
}

}  // namespace
}  // namespace tsukimi
