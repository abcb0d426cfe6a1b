// SPDX-License-Identifier: GPL-3.0-or-later
// Suspects against the simulator's truth, splits by hand, watching a folder, damaged files.
#include <gtest/gtest.h>

#include <random>
#include <thread>

#include "base/cache.h"
#include "base/file.h"
#include "core/cli_runner.h"
#include "document/values.h"
#include "film/checks.h"
#include "film/light_plan.h"
#include "folder/watch.h"

namespace tsukimi {
namespace {
using test::SmallShoot;

nlohmann::json truth_frames(const SmallShoot& shoot) {
  std::ifstream in(shoot.truth_file);
  return nlohmann::json::parse(in).at("frames");
}

struct Found {
  int bad = 0, missed = 0, clean = 0, wrong = 0;
};

Found check(const SmallShoot& shoot) {
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  ProxyStore store(s.sequence.folder);
  const auto suspects = measure_frames(s, store).suspects;
  std::set<int> named;
  for (const auto& p : suspects) {
    EXPECT_FALSE(p.reason.empty());
    EXPECT_GT(p.strength, 0.3);
    EXPECT_LE(p.strength, 1);
    named.insert(p.frame);
  }
  Found f;
  const auto truth = truth_frames(shoot);
  for (int i = 0; i < s.frame_count(); ++i) {
    const bool bad = truth[i].at("fault") != "none" || truth[i].at("bump").get<bool>();
    ++(bad ? f.bad : f.clean);
    f.missed += bad && !named.count(i);
    f.wrong += !bad && named.count(i);
  }
  return f;
}

sim::CameraOptions camera(std::uint32_t seed, int frames, int faults) {
  sim::CameraOptions c;
  c.seed = seed;
  c.frames = frames;
  c.faults = faults;
  return c;
}

TEST(Suspects, NearlyAllThatIsRuinedIsFoundAndNearlyNothingElse) {
  Found all;
  for (std::uint32_t seed : {3001u, 3002u}) {
    const SmallShoot shoot(camera(seed, 120, 14), {480, 320});
    const Found f = check(shoot);
    all = {all.bad + f.bad, all.missed + f.missed, all.clean + f.clean, all.wrong + f.wrong};
  }
  ASSERT_GE(all.bad, 30);
  EXPECT_LE(all.missed, 0.05 * all.bad);
  EXPECT_LE(all.wrong, 0.01 * all.clean);
}

TEST(Suspects, CloudFerryAndLightsAreNone) {
  auto c = camera(3003, 120, 0);
  c.ruined = c.wrong_aperture = c.wobble = false;
  const Found f = check(SmallShoot(c, {480, 320}));
  EXPECT_EQ(f.bad, 0);
  EXPECT_LE(f.wrong, 1);
}

// A few frames of a whole evening: the first and the last are as far from the others as these are
// from each other.
TEST(Suspects, TheEndsOfAFastEveningAreNone) {
  for (std::uint32_t seed : {3021u, 3022u, 3023u}) {
    auto c = camera(seed, 12, 0);
    c.ruined = c.wrong_aperture = c.wobble = c.gap = c.steps = false;
    const SmallShoot shoot(c, {480, 320});
    Shoot s = *start_shoot(*scan_folder(shoot.folder));
    ProxyStore store(s.sequence.folder);
    for (const Suspect& p : measure_frames(s, store).suspects)
      EXPECT_TRUE(p.frame != 0 && p.frame != 11) << seed << " " << p.frame << " " << p.reason;
  }
}

TEST(Suspects, SayWhatIsWrong) {
  const SmallShoot shoot(camera(3004, 60, 7), {480, 320});
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  ProxyStore store(s.sequence.folder);
  std::map<int, Suspect> by_frame;
  for (const auto& p : measure_frames(s, store).suspects) by_frame[p.frame] = p;
  const auto truth = truth_frames(shoot);
  const std::map<std::string, SuspectKind> expected{
      {"flash", SuspectKind::bright},        {"headlights", SuspectKind::bright},
      {"covered", SuspectKind::covered},     {"blurred", SuspectKind::blurred},
      {"bumped", SuspectKind::bumped},       {"aperture", SuspectKind::setting},
      {"truncated", SuspectKind::unreadable}};
  std::set<std::string> met;
  for (int i = 0; i < s.frame_count(); ++i) {
    const std::string fault = truth[i].at("fault");
    if (fault == "none" || !by_frame.count(i)) continue;
    EXPECT_EQ(by_frame[i].kind, expected.at(fault))
        << i << " " << fault << ": " << by_frame[i].reason;
    met.insert(fault);
  }
  EXPECT_GE(met.size(), 6u);
}

std::vector<FrameInfo> told(int n) {
  std::vector<FrameInfo> frames(n);
  for (int i = 0; i < n; ++i) {
    frames[i].file = "F_" + std::to_string(1000 + i);
    frames[i].shutter = 1.0 / 60, frames[i].iso = 100, frames[i].aperture = 5.6;
    frames[i].time = 1e9 + 20 * i;
  }
  return frames;
}

std::map<int, SuspectKind> judge(const std::vector<FrameInfo>& frames) {
  std::map<int, SuspectKind> out;
  for (const auto& s : find_suspects(frames, std::vector<std::optional<LightGrid>>(frames.size()),
                                     std::vector<std::optional<FrameSigns>>(frames.size())))
    out[s.frame] = s.kind;
  return out;
}

// A slip that the metadata tell, of one to three frames, also where an ordinary step comes with it.
TEST(Suspects, ToldSlipsAreFoundBesideOrdinarySteps) {
  const double third = std::exp2(1 / 3.0);
  for (int length : {1, 2, 3})
    for (double slip : {4.0, 0.25, 2.0})
      for (double step : {1.0, third, 1 / third})
        for (const bool at_its_end : {true, false}) {
          auto frames = told(40);
          for (int i = 20; i < 20 + length; ++i) frames[i].shutter *= slip;
          for (int i = at_its_end ? 20 + length : 20; i < 40; ++i) frames[i].shutter *= step;
          const auto found = judge(frames);
          EXPECT_EQ(static_cast<int>(found.size()), length) << slip << " " << step;
          for (int i = 20; i < 20 + length; ++i)
            EXPECT_TRUE(found.count(i)) << i << " of " << length << ", " << slip << ", " << step;
        }
  // Four frames are no slip, nor is a third of a stop there and back.
  auto frames = told(40);
  for (int i = 20; i < 24; ++i) frames[i].shutter *= 4;
  for (int i = 30; i < 32; ++i) frames[i].iso *= third;
  EXPECT_TRUE(judge(frames).empty());
}

// How much brighter a part of the picture must be: a stop is a lamp, a third of one is a cloud's
// edge.
TEST(Suspects, ALampIsSeenAndACloudIsNot) {
  for (const auto& [stops, seen] : {std::pair{1.0, true}, {0.8, true}, {0.4, false}}) {
    const auto frames = told(30);
    std::vector<std::optional<LightGrid>> grids(30);
    for (int i = 0; i < 30; ++i) {
      LightGrid g;
      g.light.assign(LightGrid::kCells, 0.1f);
      g.clipped.assign(LightGrid::kCells, 0);
      if (i == 15)
        for (int c = 0; c < LightGrid::kCells / 8; ++c)
          g.light[c] *= static_cast<float>(std::exp2(stops));
      grids[i] = g;
    }
    const auto suspects = find_suspects(frames, grids, std::vector<std::optional<FrameSigns>>(30));
    EXPECT_EQ(suspects.size(), seen ? 1u : 0u) << stops;
    for (const auto& s : suspects) EXPECT_EQ(s.frame, 15);
  }
}

// What the checks found is believed only as it was written.
TEST(Checks, DamagedFindingsAreLookedForAgain) {
  const SmallShoot shoot(camera(3009, 24, 3), {240, 160});
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  set_value(s, Param::hot_pixels, 0, 100);
  ProxyStore store(s.sequence.folder);
  const auto suspects = measure_frames(s, store).suspects;
  know_hot_pixels(s);
  const HotPixels hot = *s.hot_pixels;
  ASSERT_FALSE(hot.empty());
  for (const auto& e : fs::directory_iterator(cache_folder() / "checks")) {
    auto bytes = *read_file(e.path());
    for (std::size_t i = 20; i < bytes.size(); ++i)
      if (bytes[i] >= '1' && bytes[i] <= '8') {
        ++bytes[i];  // still JSON, but another number
        break;
      }
    ASSERT_TRUE(write_file(e.path(), bytes, IfExists::replace, false));
  }
  Shoot again = *start_shoot(*scan_folder(shoot.folder));
  set_value(again, Param::hot_pixels, 0, 100);
  EXPECT_EQ(measure_frames(again, store).suspects, suspects);
  know_hot_pixels(again);
  EXPECT_EQ(*again.hot_pixels, hot);
}

TEST(Checks, OldListsOfAGrowingFolderDoNotPileUp) {
  const SmallShoot shoot(camera(3010, 30, 0), {120, 80});
  Shoot s = *start_shoot(*scan_folder(shoot.folder));
  std::error_code ec;
  fs::remove_all(cache_folder() / "checks", ec);
  ProxyStore store(s.sequence.folder);
  while (s.frame_count() > 4) {
    (void)measure_frames(s, store);
    s.sequence.frames.pop_back();
  }
  const std::vector<fs::path> left(fs::directory_iterator(cache_folder() / "checks"), {});
  EXPECT_LE(left.size(), 12u);
}

TEST(Suspects, ADeliberateRampOfTheApertureIsNone) {
  auto frames = told(160);
  for (int i = 0; i < 160; ++i) frames[i].aperture = 5.6 * std::exp2(-(i / 10) / 6.0);
  EXPECT_TRUE(judge(frames).empty());
  // A slip in it is one.
  frames[84].aperture *= 2;
  EXPECT_EQ(judge(frames).size(), 1u);
  EXPECT_TRUE(judge(frames).count(84));
  // One change that stays is told.
  frames = told(60);
  for (int i = 30; i < 60; ++i) frames[i].aperture = 8;
  EXPECT_EQ(judge(frames).size(), 1u);
}

TEST(Suspects, AreOnTheCommandLine) {
  const SmallShoot shoot(camera(3005, 40, 7), {300, 200});
  const auto r = test::run("inspect " + shoot.folder.string() + " --json");
  ASSERT_EQ(r.code, 0) << r.err;
  const auto j = nlohmann::json::parse(r.out);
  EXPECT_EQ(j.at("sequences").size(), 1u);
  EXPECT_EQ(j.at("sequences")[0].at("count"), 40);
  EXPECT_GE(j.at("setting_changes").size(), j.at("steps").size());
  ASSERT_GE(j.at("suspects").size(), 5u);
  for (const auto& s : j.at("suspects")) {
    EXPECT_TRUE(s.at("index").is_number_integer());
    EXPECT_FALSE(s.at("reason").get<std::string>().empty());
    EXPECT_GT(s.at("strength").get<double>(), 0);
  }
  EXPECT_FALSE(j.at("gaps").empty());
}

TEST(Split, ByHandMovesFramesAndLosesNone) {
  std::vector<FrameInfo> frames(30);
  for (int i = 0; i < 30; ++i) {
    frames[i].file = "F_" + std::to_string(1000 + i) + ".dng";
    frames[i].time = 1e9 + 10 * i + (i >= 18 ? 4000 : 0);
    frames[i].size = {300, 200};
  }
  auto parts = split_sequences(frames);
  ASSERT_EQ(parts.size(), 2u);
  EXPECT_EQ(parts[0].frames.size(), 18u);
  EXPECT_NE(parts[1].why.find("pause"), std::string::npos) << parts[1].why;
  move_boundary(frames, parts, 0, -3);
  EXPECT_EQ(parts[0].frames.size(), 15u);
  EXPECT_EQ(parts[1].frames.front(), 15);
  move_boundary(frames, parts, 0, 100);
  EXPECT_EQ(parts[1].frames.size(), 1u) << "one stays";
  merge_parts(frames, parts, 0);
  ASSERT_EQ(parts.size(), 1u);
  split_part(frames, parts, 0, 7);
  ASSERT_EQ(parts.size(), 2u);
  EXPECT_EQ(parts[0].frames.size() + parts[1].frames.size(), 30u);
  split_part(frames, parts, 0, 0);
  merge_parts(frames, parts, 5);
  EXPECT_EQ(parts.size(), 2u) << "nonsense changes nothing";
}

TEST(PlanAside, TheCommandLineSetsAsideTrimsAndCloses) {
  TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string(), to = (dir / "o").string();
  const std::string plan = "plan --overwrite " + test::shot_folder().string() + " --out " + shoot;
  auto count = [&](const std::string& options) {
    fs::remove_all(to);
    EXPECT_EQ(test::run(plan + options).code, 0) << options;
    EXPECT_EQ(
        test::run("export " + shoot + " --to " + to + " --name a_## --format jpeg --size 60x40")
            .code,
        0);
    int n = 0;
    for (const auto& e : fs::directory_iterator(to)) n += e.path().extension() == ".jpg";
    return n;
  };
  EXPECT_EQ(count(" --set-aside 3,5-6"), 12);
  EXPECT_EQ(count(" --set-aside 3,5-6 --close-up"), 9);
  EXPECT_EQ(count(" --set-aside 3-8"), 6);
  EXPECT_EQ(count(" --set-aside 3-8 --fill"), 12);
  EXPECT_EQ(count(" --in 2 --out 9"), 8);
  for (const char* bad :
       {" --set-aside 3-x", " --set-aside 8-3", " --fill --close-up", " --out 3 --out 5"})
    EXPECT_EQ(test::run(plan + bad).code, 2) << bad;
  EXPECT_EQ(test::run(plan + " --set-aside 40").code, 1);
  EXPECT_EQ(test::run(plan + " --in 9 --out 2").code, 1);
  EXPECT_EQ(test::run(plan + " --sequence 4").code, 1);
}

TEST(Watch, TakesWholeFilesAndWaitsForHalfOnes) {
  TempDir dir;
  fs::create_directories(dir / "live");
  const auto from = scan_folder(test::shot_folder())->frames;
  auto source = [&](int i) { return test::shot_folder() / from[i].file; };
  fs::copy(source(0), dir / "live" / from[0].file);
  FolderWatch watch(dir / "live", Pairs::raw, {from[0].file}, 4);
  EXPECT_TRUE(watch.look().empty());
  const auto bytes = *read_file(source(1));
  std::ofstream half(dir / "live" / from[1].file, std::ios::binary);
  half.write(reinterpret_cast<const char*>(bytes.data()), static_cast<long>(bytes.size() / 2))
      .flush();
  fs::copy(source(2), dir / "live" / from[2].file);
  EXPECT_TRUE(watch.look().empty()) << "seen for the first time";
  auto frames = watch.look();
  ASSERT_EQ(frames.size(), 1u);
  EXPECT_EQ(frames[0].file, from[2].file);
  EXPECT_TRUE(watch.waiting());
  half.write(reinterpret_cast<const char*>(bytes.data() + bytes.size() / 2),
             static_cast<long>(bytes.size() - bytes.size() / 2))
      .flush();
  EXPECT_TRUE(watch.look().empty()) << "it grew";
  frames = watch.look();
  ASSERT_EQ(frames.size(), 1u);
  EXPECT_EQ(frames[0].file, from[1].file);
  EXPECT_TRUE(frames[0].usable());
  // What stays broken joins as a broken frame.
  std::ofstream(dir / "live" / "Z_0001.dng") << "no picture";
  int looks = 0;
  do frames = watch.look();
  while (frames.empty() && ++looks < 10);
  ASSERT_EQ(frames.size(), 1u);
  EXPECT_FALSE(frames[0].usable());
  EXPECT_GE(looks, 3);
}

TEST(Watch, FramesOfOtherSequencesInTheFolderDoNotJoin) {
  TempDir dir;
  fs::create_directories(dir / "f");
  const auto from = scan_folder(test::shot_folder())->frames;
  for (int i = 0; i < 6; ++i)
    fs::copy(test::shot_folder() / from[i].file, dir / "f" / from[i].file);
  const auto scan = *read_folder(dir / "f");
  auto late = [&](FolderWatch watch) {
    (void)watch.look();
    fs::copy(test::shot_folder() / from[8].file, dir / "f" / from[8].file);
    (void)watch.look();
    const auto joined = watch.look();
    fs::remove(dir / "f" / from[8].file);
    return joined.size();
  };
  EXPECT_EQ(late(FolderWatch::of(make_sequence(scan, {0, 1, 2}))), 1u);
  Sequence first = make_sequence(scan, {0, 1, 2});
  first.whole_folder = true;  // the others came since
  FolderWatch watch = FolderWatch::of(first);
  (void)watch.look();
  EXPECT_EQ(watch.look().size(), 3u);
}

TEST(Watch, AShootGrowsWhileTheCameraShoots) {
  TempDir dir;
  const std::string folder = (dir / "live").string(), shoot = (dir / "s.tsukimi").string();
  ASSERT_EQ(
      test::run("simulate --out " + folder +
                " --frames 8 --size 120x80 --live 0.25 --no-gap &"
                " for i in $(seq 300); do [ -e " +
                folder + "/TSK_0414.dng ] && break; sleep 0.1; done; " TSUKIMI_BATCH " plan " +
                folder + " --out " + shoot)
          .code,
      0);
  const auto r = test::run("watch " + shoot + " --until-quiet 4 --every 0.1");
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_NE(r.out.find("8 frames"), std::string::npos) << r.out;
  const auto j = nlohmann::json::parse(std::ifstream(shoot));
  EXPECT_EQ(j.at("frames").size(), 8u);
}

// A few hundred files with damaged heads: one unreadable file is one unreadable frame, at once.
TEST(Damaged, MutatedFilesNeverCrashOrHang) {
  TempDir dir;
  const auto good =
      *read_file(test::shot_folder() / scan_folder(test::shot_folder())->frames[0].file);
  std::mt19937 random(7);
  fs::create_directories(dir / "f");
  int readable = 0;
  for (int k = 0; k < 300; ++k) {
    auto bytes = good;
    const std::size_t head = std::min<std::size_t>(bytes.size(), 2000);
    const int how = k % 4;
    if (how == 0)  // single bytes of the head
      for (int i = 0; i < 6; ++i) bytes[random() % head] = static_cast<std::uint8_t>(random());
    if (how == 1)  // absurd numbers
      for (int i = 0; i < 3; ++i) {
        const std::size_t at = random() % (head - 4);
        for (int j = 0; j < 4; ++j) bytes[at + j] = 0xFF;
      }
    if (how == 2) bytes.resize(random() % bytes.size());
    if (how == 3)  // a stretch of another place
      for (std::size_t i = 0, from = random() % (bytes.size() - 64), to = random() % (head - 64);
           i < 64; ++i)
        bytes[to + i] = bytes[from + i];
    const fs::path file = dir / "f" / ("M_" + std::to_string(1000 + k) + ".dng");
    ASSERT_TRUE(write_file(file, bytes, IfExists::keep, false));
    const auto frame = read_frame(file);
    readable += frame.has_value();
    if (!frame) {
      EXPECT_NE(frame.error().message.find("M_"), std::string::npos);
    } else {
      EXPECT_GT(frame->sensor_size().width, 0);
      EXPECT_LE(static_cast<double>(frame->sensor_size().width) * frame->sensor_size().height, 5e8);
    }
  }
  EXPECT_LT(readable, 250);
  const auto scan = read_folder(dir / "f");
  ASSERT_TRUE(scan);
  EXPECT_EQ(scan->frames.size(), 300u);
}

TEST(OddFolders, LinksStrangeNamesPairsAndClocks) {
  TempDir dir;
  const auto from = scan_folder(test::shot_folder())->frames;
  fs::create_directories(dir / "f" / "deep");
  for (int i = 0; i < 6; ++i)
    fs::copy(test::shot_folder() / from[i].file, dir / "f" / from[i].file);
  fs::create_symlink(test::shot_folder() / from[6].file, dir / "f" / from[6].file);
  fs::create_directory_symlink(dir / "f", dir / "f" / "deep" / "circle");
  fs::copy(test::shot_folder() / from[7].file, dir / "f" / "月\n0001.dng");
  fs::copy(test::shot_folder() / from[8].file, dir / "f" / "deep" / from[0].file);
  std::ofstream(dir / "f" / fs::path(from[0].file).replace_extension(".JPG")) << "a pair";
  const auto raw = *read_folder(dir / "f");
  EXPECT_EQ(raw.frames.size(), 8u) << "links count, subfolders do not";
  EXPECT_EQ(raw.pairs, 1u);
  for (const auto& f : raw.frames) EXPECT_EQ(printable(f.file).find('\n'), std::string::npos);
  const auto still = *read_folder(dir / "f", {FrameOrder::name, Pairs::still, {}});
  EXPECT_EQ(still.frames.size(), 8u);
  EXPECT_FALSE(std::all_of(still.frames.begin(), still.frames.end(),
                           [](const auto& f) { return f.usable(); }));
}

}  // namespace
}  // namespace tsukimi
