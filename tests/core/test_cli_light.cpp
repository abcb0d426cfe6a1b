// SPDX-License-Identifier: GPL-3.0-or-later
// Flicker by command: what is found is said, and is gone from the pixels of exported frames.
#include <cstring>

#include "base/format.h"
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

// What the drawers can do, by words; the exported frames have it.
TEST_F(LightByCommand, StepsEveningsAndEventsAreChosen) {
  const std::string folder = shot("--no-flicker --lightning 2");
  const auto seen = nlohmann::json::parse(run("inspect " + folder + " --json").out);
  int event = -1;
  for (const auto& s : seen.at("suspects"))
    if (s.at("kind") == "lightning") {
      event = s.at("index");
      EXPECT_EQ(s.at("proposed"), "keep");
    }
  ASSERT_GT(event, 0) << seen.at("suspects");
  planned(folder, "");
  const auto measured = [&] {
    return nlohmann::json::parse(run("measure " + (dir / "s.tsukimi").string() + " --json").out);
  };
  const auto steps = measured()["summary"]["level"]["steps"];
  ASSERT_GT(steps.size(), 2u);
  const int at = steps[1].at("frame");
  EXPECT_EQ(steps[1].at("use"), "measured");
  // Mean stops of some rows of a frame.
  const auto stops_of = [](const std::vector<float>& frames, int frame, int first_row, int rows) {
    constexpr std::size_t kPlane = 240 * 160;
    double sum = 0;
    const float* here = frames.data() + 3 * kPlane * frame + first_row * 240;
    for (int i = 0; i < rows * 240; ++i) sum += here[i];
    return std::log2(sum);
  };
  const auto plain = exported();
  const std::string number = std::to_string(at);
  planned(folder, "--step ignored@" + number + " --evening 0@0 --evening -1@59 --soften 0.6@" +
                      std::to_string(event));
  const auto chosen = measured()["summary"]["level"]["steps"][1];
  EXPECT_EQ(chosen.at("use"), "ignored");
  EXPECT_EQ(chosen.at("taken"), 0);
  const auto frames = exported();
  const auto by = [&](int frame, int row) {
    return stops_of(frames, frame, row, 10) - stops_of(plain, frame, row, 10);
  };
  EXPECT_NEAR(by(at, 140) - by(at - 1, 140), steps[1].at("measured").get<double>(), 0.06);
  EXPECT_NEAR(by(59, 140) - by(0, 140), -1, 0.25) << "the ramp goes another way, too";
  EXPECT_LT(by(event, 20) - 0.5 * (by(event - 1, 20) + by(event + 1, 20)), -0.4);
  EXPECT_NEAR(by(event, 140) - 0.5 * (by(event - 1, 140) + by(event + 1, 140)), 0, 0.1);
}

// A steadied shoot is reported as it is exported: measured in cells that follow the picture.
TEST_F(LightByCommand, TheReportIsOfThePlanThatAnExportHas) {
  const std::string folder = (dir / "shaken").string();
  const auto made =
      run("simulate --out " + folder + " --ground " + test::photograph("EveningGlow").string() +
          " --sky " + test::photograph("Path").string() +
          " --shade 0 --frames 44 --size 360x240 --seed 62 --no-gap --no-ruined "
          "--no-wrong-aperture --no-hot-pixels --no-dust --wobble 3");
  ASSERT_EQ(made.code, 0) << made.err;
  const double fixed = planned(folder, "--deflicker 20").at("left_median"),
               left = planned(folder, "--deflicker 20 --steady hold").at("left_median");
  EXPECT_LT(left, 0.5 * fixed);
  const std::string html = (dir / "report.html").string();
  const auto r = run("report " + (dir / "s.tsukimi").string() + " --to " + html);
  ASSERT_EQ(r.code, 0) << r.err;
  std::ifstream in(html);
  const std::string text((std::istreambuf_iterator<char>(in)), {});
  EXPECT_NE(text.find(format("now %.2f %%", left)), std::string::npos) << left;
}

TEST_F(LightByCommand, ChoicesThatCannotBeAreRefused) {
  const std::string folder = shot("");
  const std::string plan = "plan --overwrite " + folder + " --out " + (dir / "s.tsukimi").string();
  for (const auto& [words, code, said] : {std::tuple{"--step ignored@1", 1, "kept its exposure"},
                                          {"--step half@1", 2, "--step"},
                                          {"--step 0.3", 2, "--step"},
                                          {"--evening 1@60", 1, "not in the sequence"},
                                          {"--evening 11@6", 2, "-10 to 10"},
                                          {"--soften 2@6", 2, "0 to 1"},
                                          {"--soften 0.2@6 --soften 0.3@6", 1, "twice"},
                                          {"--steady-area circle:0,0,1,1", 2, "freehand"},
                                          {"--steady-area 'freehand:0,0;1,1'", 2, "freehand"},
                                          {"--steady-area 'freehand:0,0;1,1;2,0'", 2, "freehand"},
                                          {"--leave-out 0.5,0.5,0.9,0.9", 2, "--leave-out"}}) {
    const auto r = run(plan + " " + words);
    EXPECT_EQ(r.code, code) << words;
    EXPECT_NE(r.err.find(said), std::string::npos) << words << ": " << r.err;
  }
  EXPECT_FALSE(fs::exists(dir / "s.tsukimi"));
  const auto good = run(plan +
                        " --deflicker 20 --steady-area 0,0.5,1,0.5 --steady-area "
                        "ellipse:0.1,0.1,0.2,0.2 --leave-out 'freehand:0.4,0.6;0.6,0.6;0.5,0.9'");
  EXPECT_EQ(good.code, 0) << good.err;
  std::ifstream in(dir / "s.tsukimi");
  const auto areas = nlohmann::json::parse(in)["decisions"]["deflicker"]["areas"];
  ASSERT_EQ(areas.size(), 3u);
  EXPECT_EQ(areas[1]["shape"], "ellipse");
  EXPECT_EQ(areas[2]["leave_out"], true);
  EXPECT_EQ(areas[2]["outline"].size(), 3u);
}

}  // namespace
}  // namespace tsukimi
