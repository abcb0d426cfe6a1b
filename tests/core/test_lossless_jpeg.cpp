// SPDX-License-Identifier: GPL-3.0-or-later
// Lossless JPEG: number by number what the simulated camera packed, and what LibRaw makes of it.
#include <gtest/gtest.h>
#include <libraw/libraw.h>

#include <algorithm>
#include <random>

#include "base/file.h"
#include "camera/lossless_jpeg.h"
#include "camera/raw_decoder.h"
#include "sim/dng_writer.h"
#include "support.h"

namespace tsukimi {
namespace {

// A slope, noise, and jumps from end to end: differences of every length.
std::vector<std::uint16_t> numbers(int width, int height, int bits, unsigned seed = 5) {
  std::mt19937 random(seed);
  std::vector<std::uint16_t> out;
  const std::uint32_t most = (1u << bits) - 1;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const std::uint32_t kind = random() % 16, noise = random() % 37;
      out.push_back(static_cast<std::uint16_t>(
          kind == 0   ? random() & most
          : kind == 1 ? most * (random() % 2)
                      : std::min(most, static_cast<std::uint32_t>(x * 3 + y * 2) + noise)));
    }
  return out;
}

std::vector<std::uint16_t> decoded(const std::vector<std::uint8_t>& stream, bool* good) {
  std::vector<std::uint16_t> out;
  *good = decode_lossless(stream, [&](auto line) {
            out.insert(out.end(), line.begin(), line.end());
          }) == Lossless::whole;
  return out;
}

TEST(LosslessJpeg, EveryKindComesBack) {
  constexpr int kWidth = 48, kHeight = 21;
  for (int components : {1, 2, 3, 4})
    for (int predictor = 1; predictor <= 7; ++predictor)
      for (int bits : {8, 10, 12, 14, 16})
        for (int restart : {0, 1, 4})
          for (bool long_codes : {false, true}) {
            const auto wanted = numbers(kWidth, kHeight, bits);
            const auto stream =
                sim::lossless_jpeg(wanted.data(), kWidth, kHeight, kWidth,
                                   {components, predictor, bits, restart, long_codes});
            const auto frame = lossless_frame(stream);
            ASSERT_TRUE(frame);
            EXPECT_EQ(frame->width, kWidth / components);
            EXPECT_EQ(frame->height, kHeight);
            EXPECT_EQ(frame->components, components);
            EXPECT_EQ(frame->bits, bits);
            bool good = false;
            ASSERT_EQ(decoded(stream, &good), wanted)
                << components << " " << predictor << " " << bits << " " << restart;
            EXPECT_TRUE(good);
          }
}

TEST(LosslessJpeg, APointTransformShifts) {
  auto wanted = numbers(32, 8, 12);
  auto stream = sim::lossless_jpeg(wanted.data(), 32, 8, 32, {1, 1, 12, 0, false});
  // Said to be of 14 bits of which two were left out: the same differences.
  for (std::size_t i = 0; i + 4 < stream.size(); ++i)
    if (stream[i] == 0xFF && stream[i + 1] == 0xC3) stream[i + 4] = 14;
  for (std::size_t i = 0; i + 10 < stream.size(); ++i)
    if (stream[i] == 0xFF && stream[i + 1] == 0xDA) stream[i + 9] = 2;
  for (auto& n : wanted) n = static_cast<std::uint16_t>(n << 2);
  bool good = false;
  EXPECT_EQ(decoded(stream, &good), wanted);
  EXPECT_TRUE(good);
}

TEST(LosslessJpeg, WhatIsDamagedOrOfAnotherKindIsToldAndReadsNothingElse) {
  const auto all = numbers(64, 32, 14);
  const auto stream = sim::lossless_jpeg(all.data(), 64, 32, 64, {2, 4, 14, 3, true});
  bool good = true;
  for (std::size_t size = 0; size + 3 < stream.size(); size += 7) {
    // A copy of just that size: what is read behind it is seen by the sanitizers.
    decoded(std::vector<std::uint8_t>(stream.begin(), stream.begin() + static_cast<long>(size)),
            &good);
    EXPECT_FALSE(good) << "cut to " << size << " of " << stream.size();
  }
  auto other = [&](int marker, std::size_t at, std::uint8_t value) {
    auto copy = stream;
    for (std::size_t i = 0; i + at < copy.size(); ++i)
      if (copy[i] == 0xFF && copy[i + 1] == marker) {
        copy[i + at] = value;
        break;
      }
    decoded(copy, &good);
    return good;
  };
  EXPECT_TRUE(other(0xC3, 4, 14));      // as it is
  EXPECT_FALSE(other(0xC3, 1, 0xC1));   // another process
  EXPECT_FALSE(other(0xC3, 9, 5));      // components
  EXPECT_FALSE(other(0xC3, 11, 0x21));  // sub-sampled
  EXPECT_FALSE(other(0xC3, 4, 10));     // more bits than it says
  EXPECT_FALSE(other(0xDA, 9, 0));      // no predictor
  EXPECT_FALSE(other(0xDA, 9, 8));
  EXPECT_FALSE(other(0xDA, 6, 0x30));  // a table that is not there
  std::mt19937 random(11);
  for (int round = 0; round < 20000; ++round) {
    auto copy = stream;
    for (int k = 0; k < 3; ++k) copy[random() % copy.size()] = static_cast<std::uint8_t>(random());
    std::size_t lines = 0;
    decode_lossless(copy, [&](auto) { ++lines; });
    ASSERT_LE(lines, 65535u);
  }
}

// LibRaw's numbers of a file, without ours in between.
std::vector<std::uint16_t> by_libraw(const std::filesystem::path& file) {
  LibRaw raw;
  if (raw.open_file(file.c_str()) != LIBRAW_SUCCESS || raw.unpack() != LIBRAW_SUCCESS) return {};
  const auto* n = raw.imgdata.rawdata.raw_image;
  return {n,
          n + static_cast<std::size_t>(raw.imgdata.sizes.raw_width) * raw.imgdata.sizes.raw_height};
}

std::vector<std::uint16_t> by_ours(const std::filesystem::path& file, bool* own = nullptr) {
  RawDecoder raw;
  if (raw.open(file) != LIBRAW_SUCCESS || !raw.decode()) return {};
  const int width = raw.imgdata.sizes.raw_width, height = raw.imgdata.sizes.raw_height;
  if (own) *own = raw.unpacked_here();
  const auto* n = raw.imgdata.rawdata.raw_image;
  return {n, n + static_cast<std::size_t>(width) * height};
}

sim::Shot shot() {
  sim::Shot out;
  out.time = 1948732200;
  out.aperture_thirds = 15;
  return out;
}

TEST(LosslessJpeg, EveryLayoutOfADngGivesLibRawsNumbers) {
  const test::TempDir dir;
  const auto file = dir / "a.dng";
  sim::Mosaic mosaic{300, 202, numbers(300, 202, 16)};
  for (std::size_t i = 0; i < 256; ++i) mosaic.data[i] = static_cast<std::uint16_t>(i * 257);
  struct Kind {
    int tile, lines_together;
    sim::LosslessOptions packing;
  };
  // LibRaw takes a line after a restart marker for one like others: only predictor 1 is the same.
  for (const Kind& kind :
       {Kind{128, 1, {}}, Kind{64, 2, {}}, Kind{0, 1, {}}, Kind{128, 1, {2, 7, 16, 0, true}},
        Kind{96, 1, {1, 4, 16, 0, false}}, Kind{128, 1, {4, 6, 16, 0, false}},
        Kind{0, 1, {2, 1, 16, 5, false}}, Kind{512, 1, {2, 2, 16, 0, true}}}) {
    for (const auto order : {std::endian::little, std::endian::big}) {
      sim::DngLayout layout;
      layout.compressed = true;
      layout.order = order;
      layout.tile = kind.tile;
      layout.lines_together = kind.lines_together;
      layout.packing = kind.packing;
      layout.linearization.resize(60000);
      for (std::size_t i = 0; i < layout.linearization.size(); ++i)
        layout.linearization[i] = static_cast<std::uint16_t>(i / 2 + 77);
      const auto dng = sim::make_dng(mosaic, shot(), {}, {}, layout);
      ASSERT_TRUE(dng) << dng.error().message;
      ASSERT_TRUE(write_file(file, *dng, IfExists::replace));
      bool own = false;
      const auto ours = by_ours(file, &own);
      EXPECT_TRUE(own) << kind.tile;
      ASSERT_FALSE(ours.empty()) << kind.tile;
      // LibRaw puts the lines of a tile that is wider than the picture elsewhere: there the truth
      // is what was packed.
      auto theirs = mosaic.data;
      for (auto& n : theirs)
        n = layout.linearization[std::min<std::size_t>(n, layout.linearization.size() - 1)];
      if (kind.tile <= mosaic.width) {
        EXPECT_EQ(by_libraw(file), theirs) << kind.tile;
      }
      ASSERT_EQ(ours.size(), theirs.size());
      const auto differs = std::mismatch(ours.begin(), ours.end(), theirs.begin());
      EXPECT_EQ(differs.first, ours.end())
          << kind.tile << " " << kind.packing.predictor << " " << kind.packing.restart_lines
          << " at " << differs.first - ours.begin() << " " << *differs.first << " "
          << *differs.second;
      EXPECT_EQ(ours[1], 257 / 2 + 77);
    }
  }
}

TEST(LosslessJpeg, WhatIsNotKnownGoesToLibRaw) {
  const test::TempDir dir;
  const auto file = dir / "a.dng";
  const sim::Mosaic mosaic{256, 128, numbers(256, 128, 16)};
  sim::DngLayout layout;
  layout.compressed = true;
  auto dng = *sim::make_dng(mosaic, shot(), {}, {}, layout);
  // Of a version that took one code for another.
  const std::uint8_t tag[] = {0x12, 0xC6, 1, 0, 4, 0, 0, 0, 1};
  const auto at = std::search(dng.begin(), dng.end(), std::begin(tag), std::end(tag));
  ASSERT_NE(at, dng.end());
  *(at + 9) = 0;
  ASSERT_TRUE(write_file(file, dng, IfExists::replace));
  bool own = true;
  const auto ours = by_ours(file, &own);
  EXPECT_FALSE(own);
  EXPECT_EQ(ours, by_libraw(file));
}

}  // namespace
}  // namespace tsukimi
