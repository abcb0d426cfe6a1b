// SPDX-License-Identifier: GPL-3.0-or-later
// Two cameras of one model in one folder are two sequences.
#include <gtest/gtest.h>

#include <cmath>

#include "folder/split.h"

namespace tsukimi {
namespace {

FrameInfo frame(const std::string& file, double time, const std::string& serial = "") {
  FrameInfo f;
  f.file = file;
  f.time = 1.9e9 + time;
  f.camera = "Tidewater S1";
  f.serial = serial;
  f.shutter = 0.01, f.aperture = 8, f.iso = 100;
  f.size = {600, 400};
  return f;
}
std::string number(const char* pattern, int i) {
  char text[40];
  std::snprintf(text, sizeof text, pattern, i);
  return text;
}
std::vector<std::size_t> sizes(const std::vector<FrameInfo>& frames) {
  std::vector<std::size_t> out;
  for (const Part& p : split_sequences(frames)) out.push_back(p.frames.size());
  return out;
}

TEST(TwoCameras, AreToldByTheirNamesNumbersAndClocks) {
  std::vector<FrameInfo> names, serials, clocks, jumbled, one;
  for (int i = 0; i < 30; ++i) {
    names.push_back(frame(number("A_%04d.dng", i), 10 * i));
    serials.push_back(frame(number("I_%04d.dng", i), 10 * i, "1001"));
    clocks.push_back(frame(number("I_%04d.dng", i), 10 * i));
    one.push_back(frame(number("I_%04d.dng", i), 10 * i, "1001"));
    jumbled.push_back(frame(number("I_%04d.dng", i), 10 * (i * 17 % 30)));
  }
  for (int i = 0; i < 20; ++i) {
    names.push_back(frame(number("B_%04d.dng", i), 10 * i + 3));
    serials.push_back(frame(number("I_%04d.dng", 30 + i), 300 + 10 * i, "1002"));
    clocks.push_back(frame(number("I_%04d.dng", 30 + i), 10 * i + 3));
  }
  const std::vector<std::size_t> two{30, 20};
  EXPECT_EQ(sizes(names), two);
  EXPECT_EQ(sizes(serials), two);
  EXPECT_EQ(sizes(clocks), two);
  EXPECT_EQ(sizes(one), std::vector<std::size_t>{30});
  EXPECT_EQ(sizes(jumbled), std::vector<std::size_t>{30}) << "names in no order of time";
}

// Names that hold the time, a counter that wraps, a clock that stumbles once.
// What a sequence is not: a counter that jumps while time goes on evenly is no pause, and two
// frames of another size are no sequence.
TEST(Split, AJumpedCounterIsNoPauseAndTwoOddFramesAreNoSequence) {
  std::vector<FrameInfo> jumped;
  for (int i = 0; i < 40; ++i)
    jumped.push_back(frame(number("I_%04d.dng", i < 20 ? i : 500 + i), 10 * i));
  const auto one = split_sequences(jumped);
  ASSERT_EQ(one.size(), 1u);
  EXPECT_EQ(one[0].kind, PartKind::sequence);
  EXPECT_EQ(one[0].why, "");
  // Amid a sequence they are its flaw; three are one of their own.
  for (int odd : {1, 2, 3}) {
    std::vector<FrameInfo> frames;
    for (int i = 0; i < 40; ++i) frames.push_back(frame(number("I_%04d.dng", i), 10 * i));
    for (int k = 0; k < odd; ++k) frames[20 + static_cast<std::size_t>(k)].size = {400, 600};
    EXPECT_EQ(split_sequences(frames).size(), odd < 3 ? 1u : 2u) << odd;
  }
  for (int odd : {1, 2}) {
    std::vector<FrameInfo> frames;
    for (int i = 0; i < 40; ++i) frames.push_back(frame(number("I_%04d.dng", i), 10 * i));
    for (int k = 0; k < odd; ++k) {
      frames.push_back(frame(number("I_%04d.dng", 40 + k), 4000 + 10 * k));
      frames.back().size = {400, 600};
    }
    const auto parts = split_sequences(frames);
    ASSERT_EQ(parts.size(), 2u) << odd;
    EXPECT_EQ(parts[0].kind, PartKind::sequence) << odd;
    EXPECT_EQ(parts[1].kind, PartKind::singles) << odd;
    EXPECT_EQ(parts[1].frames.size(), static_cast<std::size_t>(odd));
  }
}

TEST(TwoCameras, AreNotSeenWhereThereIsOne) {
  std::vector<FrameInfo> times, stumbles;
  for (int i = 0; i < 40; ++i) {
    times.push_back(frame(number("PX_20311004_%06d.dng", 183000 + i), 10 * i));
    stumbles.push_back(frame(number("I_%04d.dng", i), i == 20 ? 150 : 10 * i));
  }
  times.push_back(frame("PX_20311005_000010.dng", 400));
  EXPECT_EQ(sizes(times).front(), 41u);
  EXPECT_EQ(sizes(stumbles), std::vector<std::size_t>{40});
}

}  // namespace
}  // namespace tsukimi
