// SPDX-License-Identifier: GPL-3.0-or-later
// Damaged and malicious files: said, quickly, and with little memory.
#include <sys/resource.h>

#include <random>

#include "base/file.h"
#include "camera/lossless_jpeg.h"
#include "camera/sensor_frame.h"
#include "cli_runner.h"
#include "pictures.h"
#include "sim/dng_writer.h"
#include "sim/light_mosaic.h"

namespace tsukimi {
namespace {

constexpr std::uint8_t kHeader[] = {0xFF, 0xC3};  // of a frame of lossless JPEG

sim::Shot shot() {
  sim::Shot out;
  out.time = 1948732200;
  out.aperture_thirds = 15;
  return out;
}

// A structured mosaic of noise and slopes.
sim::Mosaic mosaic_of(int width, int height) {
  sim::Mosaic out{width, height, {}};
  std::uint32_t state = 7;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      state = state * 1664525u + 1013904223u;
      out.data.push_back(static_cast<std::uint16_t>(600 + 5 * x + 3 * y + (state >> 25)));
    }
  return out;
}

std::vector<std::uint8_t> dng(int size, int tile, int restart = 0) {
  sim::DngLayout how;
  how.compressed = true;
  how.tile = tile;
  how.packing.restart_lines = restart;
  return *sim::make_dng(mosaic_of(size, size), shot(), {}, {}, how);
}

class Damage : public ::testing::Test {
 protected:
  TempDir dir;
  fs::path file = dir / "a.dng";
  void put(const std::vector<std::uint8_t>& bytes) {
    ASSERT_TRUE(write_file(file, bytes, IfExists::replace, false));
  }
  // The first frame of a shoot as dir/j/f_01.
  void make_still(const std::string& format) {
    const std::string shoot = (dir / "s.tsukimi").string();
    ASSERT_EQ(test::run("plan " + test::shot_folder().string() + " --out " + shoot).code, 0);
    ASSERT_EQ(test::run("export " + shoot + " --name f_## --format " + format +
                        " --frames 0-0 --to " + (dir / "j").string())
                  .code,
              0);
  }
  // Where the number of values of a tag stands in the first directory below the main one that has
  // it, by looking at the bytes: little endian.
  static std::vector<std::size_t> entries(const std::vector<std::uint8_t>& b, int tag) {
    std::vector<std::size_t> out;
    for (std::size_t i = 8; i + 12 <= b.size() && i < 4000; i += 2)
      if (b[i] == (tag & 255) && b[i + 1] == tag >> 8 && b[i + 3] == 0 &&
          (b[i + 2] == 4 || b[i + 2] == 3))
        out.push_back(i);
    return out;
  }
  static void set_long(std::vector<std::uint8_t>& b, std::size_t at, std::uint32_t v) {
    for (int k = 0; k < 4; ++k)
      b[at + static_cast<std::size_t>(k)] = static_cast<std::uint8_t>(v >> 8 * k);
  }
  static std::uint32_t get_long(const std::vector<std::uint8_t>& b, std::size_t at) {
    return b[at] | b[at + 1] << 8 | b[at + 2] << 16 | static_cast<std::uint32_t>(b[at + 3]) << 24;
  }
};

// Half a kilobyte of anything in the middle of the packed numbers: an error, or harmless where it
// lies in what no pixel comes from. What comes out without a word is the picture.
TEST_F(Damage, SpoiltLosslessJpegIsNeverAPictureWithoutAWord) {
  std::mt19937 random(3);
  int silent = 0, rounds = 0;
  for (const int tile : {0, 64})
    for (const int restart : {0, 8}) {
      const auto good = dng(256, tile, restart);
      put(good);
      const auto truth = read_frame(file);
      ASSERT_TRUE(truth);
      const auto marker =
          std::search(good.begin(), good.end(), std::begin(kHeader), std::end(kHeader));
      const auto begin = static_cast<std::size_t>(marker - good.begin()) + 60;
      for (int k = 0; k < 25; ++k, ++rounds) {
        auto bytes = good;
        const std::size_t at = begin + random() % (bytes.size() - begin - 600);
        for (std::size_t i = 0; i < 512; ++i) bytes[at + i] = static_cast<std::uint8_t>(random());
        put(bytes);
        const auto frame = read_frame(file);
        if (!frame) continue;
        bool same = true;
        for (int y = 0; y < frame->mosaic.height && same; ++y)
          same = std::equal(frame->mosaic.row(y), frame->mosaic.row(y) + frame->mosaic.width,
                            truth->mosaic.row(y));
        silent += !same;
      }
    }
  EXPECT_LE(silent, rounds * 4 / 54) << rounds;
}

TEST_F(Damage, AScanEndsWhereItsLinesDo) {
  const auto samples = mosaic_of(64, 32);
  for (const int restart : {0, 4}) {
    sim::LosslessOptions how;
    how.restart_lines = restart;
    auto stream = sim::lossless_jpeg(samples.data.data(), 64, 32, 64, how);
    EXPECT_EQ(decode_lossless(stream, [](auto) {}), Lossless::whole);
    EXPECT_EQ(decode_lossless(
                  stream, [](auto) {}, 64 * 32),
              Lossless::whole);
    EXPECT_EQ(decode_lossless(
                  stream, [](auto) {}, 64 * 32 - 1),
              Lossless::damaged);
    auto longer = stream;  // bytes between the last sample and the end
    longer.insert(longer.end() - 2, 3, 0x55);
    EXPECT_EQ(decode_lossless(longer, [](auto) {}), Lossless::damaged);
    // A line fewer than the header says that there are.
    const auto at =
        std::search(stream.begin(), stream.end(), std::begin(kHeader), std::end(kHeader));
    auto shorter = stream;
    shorter[static_cast<std::size_t>(at - stream.begin()) + 6] = 24;
    EXPECT_EQ(decode_lossless(shorter, [](auto) {}), Lossless::damaged);
    auto other = stream;  // a lossy process
    other[static_cast<std::size_t>(at - stream.begin()) + 1] = 0xC1;
    EXPECT_EQ(decode_lossless(other, [](auto) {}), Lossless::unknown);
  }
}

TEST_F(Damage, TilesThatShareBytesOrAreTooFewAreDamage) {
  const auto good = dng(512, 64);
  put(good);
  ASSERT_TRUE(read_frame(file));
  constexpr int kPlaces = 324, kCounts = 325;
  const auto places = entries(good, kPlaces), counts = entries(good, kCounts);
  ASSERT_EQ(places.size(), 1u);
  ASSERT_EQ(counts.size(), 1u);
  const std::size_t list = get_long(good, places[0] + 8), sizes = get_long(good, counts[0] + 8);
  auto shared = good;  // all of them the first one
  for (std::size_t i = 1; i < 64; ++i) {
    set_long(shared, list + 4 * i, get_long(good, list));
    set_long(shared, sizes + 4 * i, get_long(good, sizes));
  }
  put(shared);
  EXPECT_FALSE(read_frame(file));
  auto few = good;
  for (const std::size_t entry : {places[0], counts[0]}) {
    set_long(few, entry + 4, 1);
    set_long(few, entry + 8, get_long(good, entry == places[0] ? list : sizes));
  }
  put(few);
  EXPECT_FALSE(read_frame(file)) << "64 tiles are needed, one is there";
}

double seconds_used() {
  rusage u{};
  getrusage(RUSAGE_SELF, &u);
  auto s = [](const timeval& t) {
    return static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_usec);
  };
  return s(u.ru_utime) + s(u.ru_stime);
}

// Each of many tiles says that it has 65,535 lines of as many numbers.
TEST_F(Damage, OversizedStreamsCostNoTime) {
  auto bytes = dng(2048, 32);
  for (std::size_t i = 0; i + 9 < bytes.size(); ++i)
    if (bytes[i] == 0xFF && bytes[i + 1] == 0xC3)
      for (std::size_t k = 5; k < 9; ++k) bytes[i + k] = 0xFF;
  put(bytes);
  const double before = seconds_used();
  EXPECT_FALSE(read_frame(file));
  EXPECT_LT(seconds_used() - before, 5.0) << "not a measure of speed: it took minutes";
}

// A sparse file whose one strip is said to have gigabytes: in a process of its own, whose memory is
// limited.
TEST_F(Damage, ASparseGiantCostsNoMemory) {
#ifdef __SANITIZE_ADDRESS__
  GTEST_SKIP() << "the sanitizer itself asks for terabytes of addresses";
#endif
  auto bytes = dng(256, 0);
  constexpr int kCounts = 279;
  const auto counts = entries(bytes, kCounts);
  ASSERT_FALSE(counts.empty());
  for (const std::size_t at : counts) set_long(bytes, at + 8, 4'200'000'000u);
  fs::create_directories(dir / "D");
  file = dir / "D" / "a.dng";
  put(bytes);
  fs::resize_file(file, 5'000'000'000);
  const auto r = test::run("inspect " + (dir / "D").string() + " --json", "ulimit -v 3000000; ");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto frame = nlohmann::json::parse(r.out)["frames"][0];
  EXPECT_TRUE(frame.contains("problem")) << frame;
}

TEST_F(Damage, AJpegOfAFewBytesIsNoPictureOfHalfAGigapixel) {
  make_still("jpeg");
  auto bytes = *read_file(dir / "j" / "f_01.jpg");
  for (std::size_t i = 0; i + 9 < bytes.size(); ++i)
    if (bytes[i] == 0xFF && bytes[i + 1] == 0xC0) {
      bytes[i + 5] = bytes[i + 7] = 0x57;  // 22300
      bytes[i + 6] = bytes[i + 8] = 0x1C;
    }
  // In a process whose memory is limited: it would take 1.5 GB before anything is missing.
  fs::create_directories(dir / "D");
  file = dir / "D" / "big.jpg";
  put(bytes);
#ifdef __SANITIZE_ADDRESS__
  GTEST_SKIP() << "the sanitizer itself asks for terabytes of addresses";
#endif
  const auto r = test::run("inspect " + (dir / "D").string() + " --json",
                           "ulimit -v 1500000; MALLOC_ARENA_MAX=1 ");
  ASSERT_EQ(r.code, 0) << r.err;
  const std::string problem = nlohmann::json::parse(r.out)["frames"][0].value("problem", "");
  EXPECT_NE(problem.find("is damaged or cut short"), std::string::npos) << problem;
}

TEST_F(Damage, InspectSaysWhichFramesCannotBeUsed) {
  fs::create_directories(dir / "D");
  for (int i = 0; i < 4; ++i) {
    auto bytes = dng(128, 0);
    if (i == 2)
      for (std::size_t k = bytes.size() - 4000; k < bytes.size() - 100; ++k) bytes[k] = 0x5A;
    ASSERT_TRUE(write_file(dir / "D" / ("a" + std::to_string(i) + ".dng"), bytes, IfExists::replace,
                           false));
  }
  const auto r = test::run("inspect " + (dir / "D").string() + " --json");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto j = nlohmann::json::parse(r.out);
  for (int i = 0; i < 4; ++i)
    EXPECT_EQ(j["frames"][static_cast<std::size_t>(i)].contains("problem"), i == 2) << i;
  EXPECT_EQ(j["suspects"][0]["kind"], "unreadable");
}

// A still that waits is the same light later.
TEST_F(Damage, AStillThatWaitsIsTheSamePicture) {
  make_still("tiff16");
  const auto now = read_frame(dir / "j" / "f_01.tif");
  auto later = read_to_wait(dir / "j" / "f_01.tif");
  ASSERT_TRUE(now && later);
  EXPECT_EQ(later->sensor_size(), now->sensor_size());
  EXPECT_TRUE(later->rgb.planes[0].data.empty());
  later->make_light();
  for (std::size_t c = 0; c < 3; ++c) EXPECT_EQ(later->rgb.planes[c].data, now->rgb.planes[c].data);
}

}  // namespace
}  // namespace tsukimi
