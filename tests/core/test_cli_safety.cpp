// SPDX-License-Identifier: GPL-3.0-or-later
// Nothing is lost and nothing ends without a word: what the commands do with what they should not
// touch, with faults of the disk, and with files that make no sense.
#include <fcntl.h>
#include <sys/stat.h>

#include "base/file.h"
#include "core/cli_runner.h"

namespace tsukimi {
namespace {
using test::expect_one_line;
using test::run;
using test::shot_folder;

struct Copy {
  TempDir dir;
  fs::path folder = dir / "D";
  std::string shoot = (dir / "s.tsukimi").string();
  Copy() { fs::copy(shot_folder(), folder, fs::copy_options::recursive); }
  fs::path raw(int i) const {
    std::vector<fs::path> files(fs::directory_iterator(folder), {});
    std::sort(files.begin(), files.end());
    return files[i];
  }
  void plan(const std::string& more = "") {
    const auto r = run("plan --overwrite " + folder.string() + " --out " + shoot + more);
    ASSERT_EQ(r.code, 0) << r.err;
  }
  std::string export_to(const std::string& to, const std::string& format = "jpeg") const {
    return "export " + shoot + " --to " + (dir / to).string() + " --name h_## --format " + format;
  }
};

std::map<std::string, std::string> contents(const fs::path& folder) {
  std::map<std::string, std::string> out;
  for (const auto& e : fs::recursive_directory_iterator(folder)) {
    if (!e.is_regular_file()) continue;
    const auto bytes = read_file(e.path());
    out[e.path().string()] = bytes ? std::string(bytes->begin(), bytes->end()) : "?";
  }
  return out;
}

int there(const fs::path& folder) {
  int n = 0;
  for (const auto& e : fs::directory_iterator(folder))
    n += e.path().extension() == ".jpg" || e.path().extension() == ".tif";
  return n;
}

TEST(CliSafety, NoCommandWritesOverAnotherKindOfFile) {
  Copy c;
  const auto before = contents(c.folder);
  const std::string raw = c.raw(1).string();
  for (const std::string& command :
       {"plan " + c.folder.string() + " --out " + raw,
        "plan " + c.folder.string() + " --out " + (c.folder / "new.tsukimi").string(),
        "simulate --out " + (c.dir / "other").string() + " --frames 2 --size 120x80 --truth " + raw,
        "simulate --out " + c.folder.string() + " --frames 2 --size 120x80 --live 0.05"}) {
    const auto r = run(command);
    EXPECT_EQ(r.code, 1) << command;
    EXPECT_EQ(contents(c.folder), before) << command;
  }
  // What is of the same kind is replaced; what is not, is named.
  c.plan();
  c.plan(" --level");
  std::ofstream(c.dir / "notes.json") << "{\"format\": \"something else\"}";
  const auto r = run("plan " + c.folder.string() + " --out " + (c.dir / "notes.json").string());
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "notes.json");
}

TEST(CliSafety, NothingIsWrittenOntoACard) {
  Copy c;
  const fs::path card = c.dir / "card", cardigan = c.dir / "cardigan";
  fs::create_directories(card / "DCIM");
  fs::rename(c.folder, card / "DCIM" / "100TSUKI");
  fs::create_directory_symlink(card, c.dir / "link");
  const auto before = contents(card);
  for (const fs::path& to :
       {card / "x", card / "DCIM" / "x", card / "DCIM" / ".." / "x", c.dir / "link" / "x"}) {
    const auto r = run("bring-in " + card.string() + " --to " + to.string());
    EXPECT_EQ(r.code, 1) << to;
    expect_one_line(r, "card");
    EXPECT_EQ(contents(card), before) << to;
  }
  // A name that only begins alike is another folder.
  EXPECT_EQ(run("bring-in " + card.string() + " --to " + cardigan.string()).code, 0);
  const std::string frames = (card / "DCIM" / "100TSUKI").string();
  ASSERT_EQ(run("plan " + frames + " --out " + c.shoot).code, 0);
  EXPECT_EQ(run("plan " + frames + " --out " + (card / "s.tsukimi").string()).code, 1);
  for (const fs::path& to : {card / "x", card / "DCIM" / "100TSUKI"}) {
    const auto r = run("export " + c.shoot + " --to " + to.string() + " --name a_## --format jpeg");
    EXPECT_EQ(r.code, 1);
    EXPECT_EQ(contents(card), before) << to;
  }
  // Nor among the raw files of another shoot.
  const auto r =
      run("export " + c.shoot + " --to " + cardigan.string() + " --name a_## --format jpeg");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "originals");
}

TEST(CliSafety, WhatMakesNoSenseIsOneLineThatNamesTheFile) {
  Copy c;
  c.plan();
  auto r = run("export " + c.shoot + " --to " + (c.dir / std::string(300, 'x')).string() +
               " --name h_## --format jpeg");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "xxx");
  r = run("export " + c.shoot + " --to " + (c.dir / "o").string() + " --name " +
          std::string(300, 'n') + "## --format jpeg");
  EXPECT_EQ(r.code, 2);
  expect_one_line(r, "nnn");
  // As long as a name may be.
  r = run("export " + c.shoot + " --to " + (c.dir / "o").string() + " --name " +
          std::string(249, 'n') + "## --format jpeg --frames 0-0");
  EXPECT_EQ(r.code, 0) << r.err;
  fs::create_directories(c.dir / "m");
  std::ofstream(c.dir / "m" / "tsukimi-export.jsonl")
      << R"({"format":"tsukimi export","frames":{"a":{"recipe":5}}})";
  EXPECT_EQ(run(c.export_to("m")).code, 0);
  // A shoot file of 60 GB, all of it a hole.
  std::ofstream(c.dir / "huge.tsukimi") << "{";
  fs::resize_file(c.dir / "huge.tsukimi", 60ull << 30);
  r = run("measure " + (c.dir / "huge.tsukimi").string() + " --json");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "huge.tsukimi");
}

#ifndef __SANITIZE_ADDRESS__
TEST(CliSafety, APictureThatDoesNotFitIntoMemoryIsSaidBefore) {
  Copy c;
  c.plan();
  const auto r = run(c.export_to("o", "tiff16") + " --size 65000x65000", "ulimit -v 6000000; ");
  EXPECT_EQ(r.code, 1);
  EXPECT_NE(r.err.find("65000×65000"), std::string::npos) << r.err;
  EXPECT_FALSE(fs::exists(c.dir / "o"));
}

using test::faulty;

TEST(CliSafety, WhatIsSaidToBeSafeIsOnTheDisk) {
  Copy c;
  c.plan();
  // The 5th wait for the disk fails.
  auto r = run(c.export_to("o"), faulty("FAIL_FSYNC_AFTER=4"));
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "0 of 12 frames are safe");
  EXPECT_EQ(there(c.dir / "o"), 0);
  r = run(c.export_to("o"));
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(there(c.dir / "o"), 12);
}

TEST(CliSafety, AfterAFullDiskTheNextExportGoesOn) {
  Copy c;
  c.plan();
  const auto r = run(c.export_to("o", "tiff16"), faulty("FAIL_WRITE_AFTER=1600000"));
  EXPECT_EQ(r.code, 1);
  const int safe = there(c.dir / "o");
  EXPECT_GE(safe, 5);
  EXPECT_LT(safe, 12);
  expect_one_line(r, std::to_string(safe) + " of 12 frames are safe");
  std::map<std::string, fs::file_time_type> times;
  for (const auto& e : fs::directory_iterator(c.dir / "o"))
    times[e.path().filename().string()] = fs::last_write_time(e.path());
  const auto next = run(c.export_to("o", "tiff16"));
  EXPECT_EQ(next.code, 0) << next.err;
  EXPECT_NE(next.out.find(std::to_string(safe) + " were there already"), std::string::npos)
      << next.out;
  for (const auto& [name, time] : times) {
    const bool frame = name.ends_with(".tif");
    EXPECT_TRUE(!frame || fs::last_write_time(c.dir / "o" / name) == time) << name;
  }
}

TEST(CliSafety, ErrorsInTheLastPassOverAFileCount) {
  Copy c;
  c.plan();
  const auto r = run(c.export_to("o", "tiff16"), faulty("FAIL_PWRITE_AFTER=0"));
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "0 of 12 frames are safe");
}

// As some network drives and memory cards are.
TEST(CliSafety, AnExportWorksOnADiskThatKnowsLittle) {
  Copy c;
  c.plan();
  auto r = run(c.export_to("o"), faulty("SIMPLE_DISK=1"));
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(there(c.dir / "o"), 12);
  const auto before = contents(c.dir / "o");
  fs::remove(c.dir / "o" / "h_07.jpg");
  r = run(c.export_to("o"), faulty("SIMPLE_DISK=1"));
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_NE(r.out.find("1 frames written, 11 were there already"), std::string::npos) << r.out;
  const std::string seventh = (c.dir / "o" / "h_07.jpg").string();
  EXPECT_EQ(contents(c.dir / "o").at(seventh), before.at(seventh));
  std::ofstream(c.dir / "o" / "h_03.jpg") << "a stranger's picture";
  r = run(c.export_to("o"), faulty("SIMPLE_DISK=1"));
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "h_03.jpg");
  EXPECT_EQ(contents(c.dir / "o").at((c.dir / "o" / "h_03.jpg").string()), "a stranger's picture");
  r = run("bring-in " + c.folder.string() + " --to " + (c.dir / "b").string(),
          faulty("SIMPLE_DISK=1"));
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(contents(c.dir / "b").size(), 12u);
}

TEST(CliSafety, AKilledExportLeavesNothingForGood) {
  Copy c;
  c.plan();
  (void)run(c.export_to("o", "tiff16"), faulty("KILL_AT_FSYNC=3"));
  int parts = 0;
  for (const auto& e : fs::directory_iterator(c.dir / "o"))
    parts += e.path().extension() == ".part";
  EXPECT_GT(parts, 0);
  const auto r = run(c.export_to("o", "tiff16"));
  EXPECT_EQ(r.code, 0) << r.err;
  for (const auto& e : fs::directory_iterator(c.dir / "o"))
    EXPECT_TRUE(e.path().extension() == ".tif" || e.path().filename() == "tsukimi-export.jsonl")
        << e.path();
}

TEST(CliSafety, AnOverwriteThatBrokeOffMakesNoStrangersFileOurs) {
  Copy c;
  c.plan();
  fs::create_directories(c.dir / "o");
  for (int i = 1; i <= 12; ++i)
    std::ofstream(c.dir / "o" /
                  (i < 10 ? "h_0" + std::to_string(i) + ".jpg" : "h_" + std::to_string(i) + ".jpg"))
        << "a stranger's picture";
  (void)run(c.export_to("o") + " --overwrite", faulty("KILL_AT_FSYNC=6"));
  const auto before = contents(c.dir / "o");
  const auto r = run(c.export_to("o"));
  EXPECT_EQ(r.code, 1);
  const auto after = contents(c.dir / "o");
  for (const auto& [name, bytes] : before)
    if (bytes == "a stranger's picture") {
      EXPECT_EQ(after.at(name), bytes) << name;
    }
}

TEST(CliSafety, OutputThatCannotBeWrittenIsAFailure) {
  for (const char* how : {" --json", ""}) {
    const std::string command = std::string(TSUKIMI_BATCH) + " inspect " + shot_folder().string() +
                                " --metadata-only" + how + " > /dev/full 2>/dev/null";
    EXPECT_EQ(WEXITSTATUS(std::system(command.c_str())), 1) << how;
  }
}
#endif

TEST(CliSafety, PipesAreNoFrames) {
  Copy c;
  ASSERT_EQ(mkfifo((c.folder / "TSK_0001.dng").c_str(), 0600), 0);
  ASSERT_EQ(mkfifo((c.dir / "pipe.tsukimi").c_str(), 0600), 0);
  const std::string patient = "timeout 20 ";
  auto r = run("inspect " + c.folder.string() + " --metadata-only --json", patient);
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(nlohmann::json::parse(r.out)["frames"].size(), 12u);
  r = run("bring-in " + c.folder.string() + " --to " + (c.dir / "b").string(), patient);
  EXPECT_EQ(r.code, 0) << r.err;
  r = run("measure " + (c.dir / "pipe.tsukimi").string() + " --json", patient);
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "pipe.tsukimi");
}

TEST(CliSafety, NamesReachTheTerminalHarmless) {
  Copy c;
  const fs::path odd = c.folder / "TSK_\x1b[31m\xff.dng";
  fs::rename(c.raw(3), odd);
  fs::resize_file(odd, 20);
  c.plan();
  for (const std::string& command :
       {"inspect " + c.folder.string(), "measure " + c.shoot + " --json", c.export_to("o")}) {
    const auto r = run(command);
    EXPECT_EQ((r.out + r.err).find('\x1b'), std::string::npos) << command;
  }
}

TEST(CliSafety, NamesThatAreNoUtf8AreKept) {
  Copy c;
  fs::rename(c.raw(3), c.folder / "TSK_0415\xe4.dng");
  fs::rename(c.raw(4), c.folder / "TSK_0416%41.dng");
  c.plan(" --keys 3,4 --set exposure=1@3");
  auto r = run(c.export_to("o", "jpeg"));
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(there(c.dir / "o"), 12);
  EXPECT_EQ(r.err.find("no longer"), std::string::npos) << r.err;
  r = run("measure " + c.shoot + " --json");
  EXPECT_EQ(nlohmann::json::parse(r.out)["frames"].size(), 12u);
  r = run("bring-in " + c.folder.string() + " --to " + (c.dir / "b").string());
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_TRUE(fs::exists(c.dir / "b" / "TSK_0415\xe4.dng"));
}

TEST(CliSafety, ASourceThatIsGoneLeavesItsNumberFree) {
  Copy c;
  c.plan();
  const fs::path gone = c.raw(4);
  fs::rename(gone, c.dir / "away.dng");
  auto r = run(c.export_to("o"));
  EXPECT_EQ(r.code, 1);
  EXPECT_NE(r.err.find(gone.filename().string()), std::string::npos) << r.err;
  EXPECT_EQ(there(c.dir / "o"), 11);
  EXPECT_FALSE(fs::exists(c.dir / "o" / "h_05.jpg"));
  EXPECT_TRUE(fs::exists(c.dir / "o" / "h_12.jpg"));
  fs::rename(c.dir / "away.dng", gone);
  r = run(c.export_to("o"));
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_TRUE(fs::exists(c.dir / "o" / "h_05.jpg"));
}

// Run by root these permissions mean nothing.
TEST(CliSafety, WhatMayNotBeReadIsSaidSo) {
  if (geteuid() == 0) {
    // As another user, who may enter the folders and read the others.
    if (std::system("command -v setpriv >/dev/null") != 0) GTEST_SKIP();
  }
  Copy c;
  const std::string as =
      geteuid() == 0 ? "setpriv --reuid=65534 --regid=65534 --clear-groups " : "";
  fs::permissions(c.dir.path(), fs::perms::all);
  fs::permissions(c.raw(2), fs::perms::none);
  const std::string command = "inspect " + c.folder.string() + " --metadata-only --json",
                    before = "XDG_CACHE_HOME=/nonexistent " + as;
  auto r = run(command, before);
  if (r.code == 126 || r.code == 127) GTEST_SKIP() << "the build folder is closed to others";
  ASSERT_EQ(r.code, 0) << r.err;
  const auto frames = nlohmann::json::parse(r.out)["frames"];
  EXPECT_NE(frames[2]["problem"].get<std::string>().find("Permission denied"), std::string::npos)
      << frames[2];
  // The whole folder: not that it holds no frames, which nobody can see.
  fs::permissions(c.folder, fs::perms::none);
  r = run(command, before);
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "Permission denied");
}

}  // namespace
}  // namespace tsukimi
