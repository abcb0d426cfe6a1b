// SPDX-License-Identifier: GPL-3.0-or-later
// Flicker by command: what is found is said, and is gone from the pixels of exported frames.
#include <cstring>

#include "core/cli_runner.h"
#include "photographs.h"

namespace tsukimi {
namespace {
using test::run;

class LightByCommand : public testing::Test {
 protected:
  TempDir dir;

  // A folder of 60 frames of an evening that flickers as asked for.
  std::string shot(const std::string& options) {
    const std::string folder = (dir / "shot").string();
    const auto made =
        run("simulate --out " + folder + " --ground " + test::photograph("FallenLeaf").string() +
            " --sky " + test::photograph("Kite").string() +
            " --shade 0 --frames 60 --size 240x160 --seed 61 --no-gap "
            "--no-ruined --no-wobble --no-wrong-aperture --no-hot-pixels --no-dust " +
            options);
    EXPECT_EQ(made.code, 0) << made.err;
    return folder;
  }
  nlohmann::json planned(const std::string& folder, const std::string& options) {
    const std::string shoot = (dir / "s.tsukimi").string();
    const auto plan = run("plan --overwrite --level " + folder + " --out " + shoot + " " + options);
    EXPECT_EQ(plan.code, 0) << plan.err;
    const auto measured = run("measure " + shoot + " --json");
    EXPECT_EQ(measured.code, 0) << measured.err;
    return nlohmann::json::parse(measured.out).at("summary").at("deflicker");
  }
  // The exported frames' linear planes (green, blue, red of each), as FFmpeg reads them.
  std::vector<float> exported() {
    fs::remove_all(dir / "out");
    const auto done = run("export " + (dir / "s.tsukimi").string() + " --to " +
                          (dir / "out").string() + " --name a_### --format exr");
    EXPECT_EQ(done.code, 0) << done.err;
    const std::string raw = (dir / "out/raw").string();
    const std::string command = "ffmpeg -v error -start_number 1 -i " +
                                (dir / "out/a_%03d.exr").string() +
                                " -f rawvideo -pix_fmt gbrpf32le " + raw;
    EXPECT_EQ(std::system(command.c_str()), 0);
    const auto bytes = *read_file(raw);
    std::vector<float> out(bytes.size() / sizeof(float));
    std::memcpy(out.data(), bytes.data(), out.size() * sizeof(float));
    return out;
  }
  // What the middle of three frames has beyond the others, RMS in stops, of all of one colour in
  // some rows of the ground, which stands still.
  static double flicker_of(const std::vector<float>& frames, int first_row, int rows, int plane) {
    constexpr std::size_t kPlane = 240 * 160;
    std::vector<double> light;
    for (std::size_t at = 0; at < frames.size(); at += 3 * kPlane) {
      double sum = 0;
      const float* here = frames.data() + at + plane * kPlane + first_row * 240;
      for (int i = 0; i < rows; ++i)
        for (int x = 20; x < 120; ++x) sum += here[i * 240 + x];
      light.push_back(std::log2(sum));
    }
    EXPECT_EQ(light.size(), 60u);
    double squares = 0;
    for (std::size_t f = 1; f + 1 < light.size(); ++f)
      squares += std::pow(light[f] - (light[f - 1] + light[f + 1]) / 2, 2) / 1.5 / 58;
    return std::sqrt(squares);
  }
};

TEST_F(LightByCommand, BandsAreSaidAndGone) {
  const std::string folder = shot("--no-flicker --banding 6");
  const auto before = planned(folder, "");
  ASSERT_EQ(before.at("kinds").size(), 1u) << before;
  EXPECT_EQ(before["kinds"][0]["kind"], "bands");
  EXPECT_EQ(before["kinds"][0]["along"], "height");
  EXPECT_NEAR(before["kinds"][0]["cycles"].get<double>(), 2.3, 0.1);
  const double was = flicker_of(exported(), 120, 4, 0);
  EXPECT_GT(was, 0.04);
  const auto after = planned(folder, "--deflicker 20");
  EXPECT_EQ(after.at("kinds")[0].at("kind"), "bands");
  EXPECT_GT(after.at("noise_limit").get<double>(), 0);
  EXPECT_LT(flicker_of(exported(), 120, 4, 0), 0.1 * was);
  // An area says what is steady, not where there are bands.
  planned(folder, "--deflicker 20 --steady-area 0.5,0.8,0.4,0.1");
  EXPECT_LT(flicker_of(exported(), 120, 4, 0), 0.2 * was);
  // Whoever leaves them has them.
  const auto left = planned(folder, "--deflicker 20 --uneven off");
  EXPECT_TRUE(left.at("kinds").empty());
  EXPECT_GT(flicker_of(exported(), 120, 4, 0), 0.5 * was);
}

TEST_F(LightByCommand, ColoursAreSaidAndGone) {
  const std::string folder = shot("--no-flicker --colour-flicker 4");
  EXPECT_EQ(planned(folder, "").at("kinds")[0].at("kind"), "colour");
  const double was = flicker_of(exported(), 110, 30, 2);
  EXPECT_GT(was, 0.03);
  planned(folder, "--deflicker 20");
  const auto frames = exported();
  for (const int plane : {0, 1, 2}) EXPECT_LT(flicker_of(frames, 110, 30, plane), 0.2 * was);
  EXPECT_TRUE(planned(folder, "--deflicker 20 --colour-flicker off").at("kinds").empty());
  EXPECT_GT(flicker_of(exported(), 110, 30, 2), 0.5 * was);
}

TEST_F(LightByCommand, WhatIsNoChoiceIsRefused) {
  const auto r = run("plan . --out " + (dir / "s.tsukimi").string() + " --uneven maybe");
  EXPECT_EQ(r.code, 2);
  EXPECT_NE(r.err.find("--uneven"), std::string::npos) << r.err;
}

}  // namespace
}  // namespace tsukimi
