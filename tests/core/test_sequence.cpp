// SPDX-License-Identifier: GPL-3.0-or-later
// Facts of a sequence from made-up metadata, and the store of proxies.
#include <gtest/gtest.h>

#include <thread>

#include "base/cache.h"
#include "base/file.h"
#include "film/film.h"
#include "film/propose_keys.h"
#include "support.h"

namespace tsukimi {
namespace {
namespace fs = std::filesystem;
using test::SmallShoot;
using test::TempDir;

Sequence made(int count, double interval = 10) {
  Sequence s;
  for (int i = 0; i < count; ++i) {
    FrameInfo f;
    char name[32];
    std::snprintf(name, sizeof name, "A_%04d.dng", 100 + i);
    f.file = name;
    f.time = 1.9e9 + i * interval;
    f.shutter = 1.0 / 50;
    f.iso = 100;
    f.aperture = 8;
    f.size = {600, 400};
    s.frames.push_back(f);
  }
  return s;
}

TEST(Facts, AQuietSequenceHasNoEvents) {
  Sequence s = made(50);
  find_facts(s);
  EXPECT_DOUBLE_EQ(s.interval, 10);
  EXPECT_TRUE(s.gaps.empty());
  EXPECT_TRUE(s.steps.empty());
  EXPECT_TRUE(s.notes.empty());
  EXPECT_EQ(s.size, (Size{600, 400}));
}

TEST(Facts, GapsInTimeOnly) {
  Sequence s = made(40);
  for (int i = 20; i < 40; ++i) s.frames[i].time += 30;
  find_facts(s);
  ASSERT_EQ(s.gaps.size(), 1u);
  EXPECT_EQ(s.gaps[0].after, 19);
  EXPECT_EQ(s.gaps[0].missing, 3);
  EXPECT_TRUE(s.gaps[0].in_time);
  EXPECT_FALSE(s.gaps[0].in_numbering);
}

TEST(Facts, GapsInNumberingOnly) {
  Sequence s = made(40);
  s.frames.erase(s.frames.begin() + 10);
  for (std::size_t i = 10; i < s.frames.size(); ++i) s.frames[i].time -= 10;
  find_facts(s);
  ASSERT_EQ(s.gaps.size(), 1u);
  EXPECT_EQ(s.gaps[0].missing, 1);
  EXPECT_TRUE(s.gaps[0].in_numbering);
  EXPECT_FALSE(s.gaps[0].in_time);
}

TEST(Facts, StepsSayWhatChanged) {
  Sequence s = made(30);
  for (int i = 12; i < 30; ++i) s.frames[i].shutter = 1.0 / 40;
  for (int i = 20; i < 30; ++i) s.frames[i].iso = 200, s.frames[i].shutter = 1.0 / 80;
  s.frames[5].aperture = 11;
  find_facts(s);
  ASSERT_EQ(s.steps.size(), 4u);
  EXPECT_EQ(s.steps[0].at, 5);
  EXPECT_NEAR(s.steps[0].stops, -1, 1e-9);
  EXPECT_NE(s.steps[0].what.find("f/8 → f/11"), std::string::npos);
  EXPECT_NEAR(s.steps[1].stops, 1, 1e-9);
  EXPECT_NEAR(s.steps[2].stops, 1.0 / 3, 1e-9);
  EXPECT_NE(s.steps[2].what.find("1/50 s → 1/40 s"), std::string::npos);
  EXPECT_EQ(s.steps[3].at, 20);
  EXPECT_NEAR(s.steps[3].stops, 0, 1e-9);  // traded
  EXPECT_NE(s.steps[3].what.find("ISO 100 → 200"), std::string::npos);
}

TEST(Facts, AnUnusableFrameIsNoStep) {
  Sequence s = made(20);
  s.frames[7].problem = "is empty (0 bytes)";
  s.frames[7].shutter = 0;
  find_facts(s);
  EXPECT_TRUE(s.steps.empty());
}

TEST(Facts, JitterOfTheClockIsNoGap) {
  Sequence s = made(60, 4);
  for (int i = 0; i < 60; ++i)
    s.frames[i].time = std::floor(s.frames[i].time + 0.7 * (i % 3));  // whole seconds
  find_facts(s);
  EXPECT_TRUE(s.gaps.empty());
  EXPECT_NEAR(s.interval, 4, 1);
}

TEST(TimeAxis, CountsIntervalsAcrossAGap) {
  Sequence s = made(20);
  for (int i = 10; i < 20; ++i) s.frames[i].time += 30;
  const auto axis = time_axis(s.frames);
  EXPECT_DOUBLE_EQ(axis[9], 9);
  EXPECT_DOUBLE_EQ(axis[10], 13);
  EXPECT_DOUBLE_EQ(axis[19], 22);
}

TEST(TimeAxis, FallsBackToTheIndex) {
  for (int broken = 0; broken < 3; ++broken) {
    Sequence s = made(10);
    if (broken == 0) s.frames[4].time = 0;                 // no EXIF time
    if (broken == 1) s.frames[4].time = s.frames[1].time;  // a clock that goes backwards
    if (broken == 2)
      for (auto& f : s.frames) f.time = 1.9e9;  // identical times throughout
    const auto axis = time_axis(s.frames);
    for (int i = 0; i < 10; ++i) EXPECT_EQ(axis[i], i) << broken;
  }
}

TEST(Format, TimesAndShutters) {
  EXPECT_EQ(format_time(1948732200.25), "2031-10-02 18:30:00.25");
  EXPECT_EQ(format_clock(1948732200.25), "18:30:00");
  EXPECT_EQ(format_clock(0), "--:--:--");
  EXPECT_EQ(format_shutter(1.0 / 13), "1/13 s");
  EXPECT_EQ(format_shutter(0.3), "0.3 s");
  EXPECT_EQ(format_shutter(2.5), "2.5 s");
}

const SmallShoot& five() {
  static const SmallShoot shoot(
      [] {
        sim::CameraOptions c;
        c.frames = 5;
        c.seed = 91;
        return c;
      }(),
      {200, 140});
  return shoot;
}

int cached_files() {
  int n = 0;
  std::error_code ec;
  for (const auto& e : fs::directory_iterator(cache_folder() / "proxies", ec))
    n += e.path().extension() == ".proxy";
  return n;
}

class Store : public ::testing::Test {
 protected:
  void SetUp() override {
    (void)five();
    std::error_code ec;
    fs::remove_all(cache_folder() / "proxies", ec);
  }
};

TEST_F(Store, TheSecondOpeningNeedsNoRaw) {
  TempDir dir;
  fs::copy(five().folder, dir / "f", fs::copy_options::recursive);
  const auto s = *scan_folder(dir / "f");
  const auto first = ProxyStore(s.folder).get(s.frames[2]);
  ASSERT_TRUE(first);
  EXPECT_EQ(cached_files(), 1);
  fs::remove(dir / "f" / s.frames[2].file);
  const auto second = ProxyStore(s.folder).get(s.frames[2]);
  ASSERT_TRUE(second);
  EXPECT_EQ((*first)->data, (*second)->data);
  EXPECT_TRUE(ProxyStore(s.folder).head(s.frames[2]));
  EXPECT_FALSE(ProxyStore(s.folder).get([&] {
    FrameInfo changed = s.frames[2];
    changed.modified += 1;  // another file under the name: the old proxy does not count
    return changed;
  }()));
}

TEST_F(Store, ADamagedCacheFileIsMadeAgain) {
  const auto s = *scan_folder(five().folder);
  const auto good = *ProxyStore(s.folder).get(s.frames[0]);
  for (const auto& e : fs::directory_iterator(cache_folder() / "proxies"))
    fs::resize_file(e.path(), 300);
  const auto again = ProxyStore(s.folder).get(s.frames[0]);
  ASSERT_TRUE(again);
  EXPECT_EQ((*again)->data, good->data);
}

TEST_F(Store, MemoryIsLimitedAndPicturesInUseLiveOn) {
  const auto s = *scan_folder(five().folder);
  ProxyStore store(s.folder, 1);  // room for one
  std::vector<std::shared_ptr<const Proxy>> held;
  for (const auto& f : s.frames) held.push_back(*store.get(f));
  for (std::size_t i = 0; i + 1 < held.size(); ++i)
    EXPECT_EQ(held[i].use_count(), 1) << i;  // the store let go
  EXPECT_EQ(held.back().use_count(), 2);
  EXPECT_GT(held.front()->data.size(), 0u);
}

TEST_F(Store, MemoryIsCreditedBackAndTheLeastRecentlyUsedGoesFirst) {
  const auto s = *scan_folder(five().folder);
  const std::size_t one = (*ProxyStore(s.folder).get(s.frames[0]))->data.size() * 2;
  ProxyStore store(s.folder, 3 * one + one / 2);  // room for three
  for (int round = 0; round < 6; ++round)
    for (const auto& f : s.frames) {
      (void)store.get(f);
      EXPECT_LE(store.memory_used(), 3 * one);
    }
  EXPECT_EQ(store.memory_used(), 3 * one);
  // Frames 2, 3, 4 are there. What was used again stays when another comes, though it came first.
  const std::weak_ptr<const Proxy> second = *store.get(s.frames[2]),
                                   third = *store.get(s.frames[3]);
  (void)store.get(s.frames[2]);
  (void)store.get(s.frames[0]);  // frame 4 goes
  (void)store.get(s.frames[2]);
  (void)store.get(s.frames[1]);  // frame 3 goes
  EXPECT_FALSE(second.expired());
  EXPECT_TRUE(third.expired());
}

// Every bit of a cache file counts: one that flips is noticed, and the proxy is made anew.
TEST_F(Store, AFlippedBitAnywhereIsNoticed) {
  const auto s = *scan_folder(five().folder);
  const auto good = *ProxyStore(s.folder).get(s.frames[0]);
  fs::path file;
  for (const auto& e : fs::directory_iterator(cache_folder() / "proxies")) file = e.path();
  const auto bytes = *read_file(file);
  for (std::size_t k = 0; k < 120; ++k) {
    auto damaged = bytes;
    const std::size_t at = k < 40 ? k * 8 : k * 7919 % bytes.size();
    damaged[at] ^= static_cast<std::uint8_t>(1u << (k % 8));
    ASSERT_TRUE(write_file(file, damaged, IfExists::replace, false));
    EXPECT_TRUE(!load_proxy(file) || !load_proxy_head(file)) << at;
    const auto again = ProxyStore(s.folder).get(s.frames[0]);
    ASSERT_TRUE(again);
    ASSERT_EQ((*again)->data, good->data) << at;
    EXPECT_EQ((*again)->grid.light, good->grid.light);
  }
}

TEST_F(Store, TrimTakesTheLeastRecentlyUsedFirst) {
  const auto s = *scan_folder(five().folder);
  fs::remove_all(cache_folder() / "checks");
  ProxyStore store(s.folder);
  for (const auto& f : s.frames) (void)store.get(f);
  std::vector<fs::path> files;
  std::uintmax_t total = 0;
  for (const auto& e : fs::directory_iterator(cache_folder() / "proxies"))
    files.push_back(e.path()), total += fs::file_size(e.path());
  ASSERT_EQ(files.size(), 5u);
  const auto now = fs::file_time_type::clock::now();
  for (std::size_t i = 0; i < files.size(); ++i)
    fs::last_write_time(files[i], now - std::chrono::hours(i + 1));
  trim_cache(total - fs::file_size(files[4]) - fs::file_size(files[3]) + 1);
  EXPECT_TRUE(fs::exists(files[0]) && fs::exists(files[1]) && fs::exists(files[2]));
  EXPECT_FALSE(fs::exists(files[4]) || fs::exists(files[3]));
}

TEST_F(Store, ManyThreadsAtOnce) {
  const auto s = *scan_folder(five().folder);
  ProxyStore store(s.folder, 200'000);
  std::atomic<int> bad{0};
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t)
    threads.emplace_back([&, t] {
      for (int k = 0; k < 20; ++k) {
        const auto p = store.get(s.frames[(k * 3 + t) % 5]);
        if (!p || (*p)->width == 0) ++bad;
      }
    });
  for (auto& t : threads) t.join();
  EXPECT_EQ(bad, 0);
}

TEST_F(Store, MeasuringMarksFramesThatCannotBeReadAndCanBeCancelled) {
  TempDir dir;
  fs::copy(five().folder, dir / "f", fs::copy_options::recursive);
  const auto s = *scan_folder(dir / "f");
  fs::resize_file(dir / "f" / s.frames[3].file,
                  fs::file_size(dir / "f" / s.frames[3].file) * 2 / 3);
  Shoot shoot = *start_shoot(*scan_folder(dir / "f"));
  ProxyStore store(shoot.sequence.folder);
  int last = 0;
  const auto grids = measure_light(
      shoot, store,
      {[&](int done, int total) { last = total == 5 ? std::max(last, done) : -1000; }, nullptr});
  EXPECT_EQ(last, 5);
  EXPECT_FALSE(grids[3]);
  EXPECT_TRUE(grids[0] && grids[1] && grids[2] && grids[4]);
  EXPECT_NE(shoot.sequence.frames[3].problem.find("cut short"), std::string::npos)
      << shoot.sequence.frames[3].problem;
  EXPECT_EQ(film_frames(shoot).size(), 4u);
  const auto plan = plan_light(shoot, grids);
  EXPECT_TRUE(std::isnan(plan.as_shot[3]));
  EXPECT_EQ(plan.correction(3), 0);
  const std::atomic<bool> stop{true};
  for (const auto& g : measure_light(shoot, store, {{}, &stop})) EXPECT_FALSE(g);
}

TEST_F(Store, NoReadableFrameIsAnErrorThatSaysWhy) {
  TempDir dir;
  fs::create_directories(dir / "f");
  std::ofstream(dir / "f" / "a.dng") << "no picture";
  std::ofstream(dir / "f" / "b.dng");
  const auto r = start_shoot(*scan_folder(dir / "f"));
  ASSERT_FALSE(r);
  EXPECT_NE(r.error().message.find("a.dng"), std::string::npos);
}

TEST_F(Store, ProposedKeysStandOnUsableFrames) {
  Shoot shoot = *start_shoot(*scan_folder(five().folder));
  ProxyStore store(shoot.sequence.folder);
  auto grids = measure_light(shoot, store);
  shoot.sequence.frames[0].problem = "is a test";
  grids[0].reset();
  const auto keys = propose_keys(shoot, plan_light(shoot, grids), {}, 3);
  ASSERT_GE(keys.size(), 2u);
  EXPECT_EQ(keys.front(), (ProposedKey{1, KeyReason::first}));
  EXPECT_EQ(keys.back(), (ProposedKey{4, KeyReason::last}));
}

}  // namespace
}  // namespace tsukimi
