// SPDX-License-Identifier: GPL-3.0-or-later
// Shots that the camera moved between: laid onto each other, and merged.
#include "camera/move_shot.h"

#include <gtest/gtest.h>

#include "base/file.h"
#include "camera/frame_info.h"
#include "core/cli_runner.h"
#include "film/align_brackets.h"
#include "folder/sequence.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::run;
using test::TempDir;

constexpr int kWide = 120, kHigh = 80;

// A picture of a few waves in each colour, as a mosaic sees it when it lies (dx, dy) off.
double light_at(int channel, double x, double y) {
  return 0.4 + 0.15 * std::sin(0.11 * x + channel) * std::cos(0.13 * y) +
         0.1 * std::cos(0.06 * x - 0.09 * y + 2 * channel);
}
SensorFrame mosaic(double dx, double dy) {
  SensorFrame out;
  Mosaic& m = out.mosaic;
  m.width = kWide, m.height = kHigh, m.stride = kWide;
  const std::shared_ptr<float> light(new float[kWide * kHigh], std::default_delete<float[]>());
  for (int y = 0; y < kHigh; ++y)
    for (int x = 0; x < kWide; ++x)
      light.get()[y * kWide + x] = static_cast<float>(
          light_at(m.cfa[static_cast<std::size_t>(Mosaic::place(x, y))], x - dx, y - dy));
  m.merged = light;
  return out;
}

TEST(MoveShot, LaysAMosaicBackWhereItWas) {
  const SensorFrame still = mosaic(0, 0);
  for (const auto& [dx, dy] : {std::pair{2.0, 0.0}, {3.4, -2.7}, {-0.5, 0.25}, {-7.3, 5.0}}) {
    SensorFrame moved = mosaic(dx, dy);
    move_shot(moved, dx, dy, false);
    for (int y = 12; y < kHigh - 12; ++y)
      for (int x = 12; x < kWide - 12; ++x)
        ASSERT_NEAR(moved.mosaic.light(x, y), still.mosaic.light(x, y), 1.5e-3) << dx << " " << dy;
  }
}

TEST(MoveShot, WhatItDoesNotHaveIsClippedOrTheNearest) {
  SensorFrame a = mosaic(0, 0), b = mosaic(0, 0);
  move_shot(a, 6, 0, false);
  move_shot(b, 6, 0, true);
  EXPECT_EQ(a.mosaic.light(kWide - 2, 20), 1) << "lay beyond the right border";
  EXPECT_LT(a.mosaic.light(kWide - 9, 20), 0.8f);
  EXPECT_LT(b.mosaic.light(kWide - 2, 20), 0.8f);
}

// Shaken brackets: how the shots lie is found to a fraction of a pixel, and merged edges are as
// sharp as those of one shot.
TEST(MoveShot, ShakenBracketsAreFoundAndMergedSharp) {
  const TempDir dir;
  const std::string folder = (dir / "dawn").string(), truth = (dir / "t.json").string();
  ASSERT_EQ(run("simulate --out " + folder + " --truth " + truth +
                " --frames 6 --size 960x640 --seed 4472 --brackets 3 --wobble 3 --no-gap "
                "--no-ruined --no-wrong-aperture --no-hot-pixels")
                .code,
            0);
  const auto sequence = scan_folder(folder);
  ASSERT_TRUE(sequence);
  ASSERT_TRUE(sequence->frames[0].is_merged());
  ProxyStore store(folder);
  const auto offsets = align_brackets(*sequence, store);
  std::ifstream in(truth);
  const auto frames = nlohmann::json::parse(in).at("frames");
  std::map<std::string, Point> lies;
  for (const auto& f : frames) {
    // The camera went there, so the picture went the other way.
    const auto& wobble = f.at("wobble");
    lies[f.at("file")] = {-wobble[0].get<double>(), -wobble[1].get<double>()};
  }
  int known = 0;
  for (const FrameInfo& frame : sequence->frames)
    for (const FrameInfo& other : frame.others) {
      const auto found = std::ranges::find(offsets, other.file, &ShotOffset::file);
      ASSERT_NE(found, offsets.end());
      EXPECT_NEAR(found->dx, lies[other.file].x - lies[frame.file].x, 0.15) << other.file;
      EXPECT_NEAR(found->dy, lies[other.file].y - lies[frame.file].y, 0.15) << other.file;
      ++known;
    }
  EXPECT_EQ(known, 12);
}

// Writes the orientation into the head of a raw file of the simulated camera.
void set_orientation(const fs::path& file, std::uint16_t orientation) {
  auto bytes = *read_file(file);
  const auto number = [&](std::size_t at, int size) {
    std::size_t v = 0;
    for (int k = size; k-- > 0;) v = v << 8 | bytes[at + static_cast<std::size_t>(k)];
    return v;
  };
  constexpr std::size_t kOrientation = 274, kEntry = 12;
  const std::size_t head = number(4, 4);
  for (std::size_t k = 0; k < number(head, 2); ++k)
    if (const std::size_t at = head + 2 + kEntry * k; number(at, 2) == kOrientation)
      bytes[at + 8] = static_cast<std::uint8_t>(orientation);
  ASSERT_TRUE(write_file(file, bytes, IfExists::replace));
}

// How a shot lies is told as the picture lies in its file, however the camera was held.
TEST(MoveShot, TurnedFramesLieAsTheirFilesDo) {
  const TempDir dir;
  const std::string folder = (dir / "dawn").string();
  ASSERT_EQ(run("simulate --out " + folder +
                " --frames 3 --size 480x320 --seed 4474 --brackets 3 --wobble 3 --no-gap "
                "--no-ruined --no-wrong-aperture --no-hot-pixels")
                .code,
            0);
  std::map<int, std::vector<ShotOffset>> offsets;
  for (const int orientation : {1, 3, 6, 8}) {
    const fs::path turned = dir / std::to_string(orientation);
    fs::copy(folder, turned);
    for (const auto& file : fs::directory_iterator(turned))
      set_orientation(file.path(), static_cast<std::uint16_t>(orientation));
    const auto sequence = make_sequence(*read_folder(turned), {}, Bracketing{.set_size = 3});
    ProxyStore store(turned);
    offsets[orientation] = align_brackets(sequence, store);
    ASSERT_EQ(offsets[orientation].size(), 6u) << orientation;
    for (std::size_t k = 0; k < 6; ++k) {
      EXPECT_NEAR(offsets[orientation][k].dx, offsets[1][k].dx, 0.05) << orientation;
      EXPECT_NEAR(offsets[orientation][k].dy, offsets[1][k].dy, 0.05) << orientation;
    }
  }
}

TEST(MoveShot, AlignedFramesAreOthersAndStayAsLarge) {
  const TempDir dir;
  const std::string folder = (dir / "dawn").string();
  ASSERT_EQ(run("simulate --out " + folder +
                " --frames 6 --size 480x320 --seed 4473 --brackets 3 --wobble 3 --no-gap "
                "--no-ruined --no-wrong-aperture --no-hot-pixels")
                .code,
            0);
  auto exported = [&](const std::string& options) {
    const std::string shoot = (dir / "s.tsukimi").string(), to = (dir / "out").string();
    const auto plan = run("plan " + folder + " --overwrite --out " + shoot + " " + options);
    EXPECT_EQ(plan.code, 0) << plan.err;
    fs::remove_all(to);
    EXPECT_EQ(run("export " + shoot + " --to " + to + " --format tiff16 --name a_#").code, 0);
    std::ifstream in(fs::path(to) / "a_3.tif", std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  const std::string off = exported(""), on = exported("--align-brackets");
  EXPECT_EQ(off.size(), on.size());
  EXPECT_NE(off, on);
  EXPECT_EQ(on, exported("--align-brackets")) << "the same again";
  EXPECT_EQ(exported("--align-brackets --bracket-frame 2"), exported("--bracket-frame 2"));
}

}  // namespace
}  // namespace tsukimi
