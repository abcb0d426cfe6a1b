// SPDX-License-Identifier: GPL-3.0-or-later
// What is deleted and what is written over: only what we made, and never what something is made
// from, whatever names it has.
#include <fcntl.h>

#include "base/cache.h"
#include "base/file.h"
#include "base/file_lock.h"
#include "base/own_files.h"
#include "cli_runner.h"
#include "document/files/shoot_file.h"
#include "output/export_manifest.h"
#include "output/film_parts.h"

namespace tsukimi {
namespace {
using test::expect_one_line;
using test::Ran;
using test::run;
using test::shot_folder;

void put(const fs::path& file, const std::string& text) {
  fs::create_directories(file.parent_path());
  std::ofstream(file) << text;
}
std::string text_in(const fs::path& file) {
  const auto bytes = read_file(file);
  return bytes ? std::string(bytes->begin(), bytes->end()) : "gone";
}

// A cache in a folder that the user chose, with things of the user's wherever ours could be.
class ChosenCache : public ::testing::Test {
 protected:
  TempDir dir;
  const std::string ours = std::string(32, 'a') + ".proxy";
  void SetUp() override { set_cache(dir.path(), 0); }
  void TearDown() override { set_cache({}, 0); }
  void keep(const std::string& name) {
    const std::vector<std::uint8_t> bytes(1000, 7);
    ASSERT_TRUE(save_cached(cache_path("proxies", name), bytes));
  }
};

TEST_F(ChosenCache, TakesNothingOfTheUsersAlong) {
  const std::vector<fs::path> users{
      dir / "proxies" / "film.mov",
      dir / "checks" / "IMG_0001.DNG",
      dir / "proxies" / ours,
      dir / "tsukimi" / "proxies" / "film.mov",
      dir / "tsukimi" / "proxies" / (std::string(32, 'b') + ".proxy"),  // named as ours, no more
      dir / "tsukimi" / "checks" / "notes.txt"};
  keep(ours);
  for (const auto& file : users) put(file, "mine");
  put(dir / "elsewhere" / ours, "TKCACHE1 mine");
  fs::create_symlink(dir / "elsewhere" / ours,
                     dir / "tsukimi" / "proxies" / (std::string(32, 'c') + ".proxy"));
  trim_cache(1);
  EXPECT_FALSE(fs::exists(dir / "tsukimi" / "proxies" / ours));
  for (const auto& file : users) EXPECT_EQ(text_in(file), "mine") << file;
  EXPECT_EQ(text_in(dir / "elsewhere" / ours), "TKCACHE1 mine");
}

TEST_F(ChosenCache, NoOtherFolderIsMarked) {
  fs::create_directories(dir / "mine" / "pictures");
  const std::vector<std::uint8_t> bytes(10, 1);
  ASSERT_TRUE(save_cached(dir / "mine" / "pictures" / "a.cache", bytes));
  EXPECT_FALSE(fs::exists(dir / "mine" / "CACHEDIR.TAG"));
  EXPECT_FALSE(fs::exists(dir / "CACHEDIR.TAG"));
}

TEST_F(ChosenCache, IsMarkedAndNotReachedThroughLinks) {
  keep(ours);
  EXPECT_TRUE(text_in(dir / "tsukimi" / "CACHEDIR.TAG").starts_with("Signature: 8a477f597d28d172"));
  // The folder within is put elsewhere and linked: nothing of it is ours to clear.
  fs::rename(dir / "tsukimi" / "proxies", dir / "saved");
  fs::create_directory_symlink(dir / "saved", dir / "tsukimi" / "proxies");
  trim_cache(1);
  EXPECT_TRUE(fs::exists(dir / "saved" / ours));
  EXPECT_FALSE(save_cached(cache_path("proxies", std::string(32, 'd') + ".proxy"), {}));
}

TEST_F(ChosenCache, AFolderOfThatNameThatIsTheUsersIsLeftAlone) {
  put(dir / "tsukimi" / "holiday.jpg", "mine");
  put(dir / "tsukimi" / "proxies" / ours, "TKCACHE1 mine");
  EXPECT_FALSE(check_cache());
  EXPECT_FALSE(save_cached(cache_path("proxies", ours), {}));
  trim_cache(1);
  trim_cache_group(dir / "tsukimi" / "proxies", "a", 0);
  EXPECT_EQ(text_in(dir / "tsukimi" / "proxies" / ours), "TKCACHE1 mine");
  EXPECT_EQ(std::distance(fs::directory_iterator(dir / "tsukimi"), {}), 2);
}

TEST(OwnFiles, AChosenCacheOfTheCommandLineIsTrimmedToItsSizeAndNoFurther) {
  TempDir dir;
  put(dir / "proxies" / "film.mov", "mine");
  ASSERT_EQ(
      run("plan " + shot_folder().string() + " --level --out " + (dir / "s.tsukimi").string()).code,
      0);
  ASSERT_EQ(run("queue add film " + (dir / "s.tsukimi").string() + " --size 60x40 --to " +
                (dir / "a.mp4").string())
                .code,
            0);
  const Ran r = run("queue run --cache " + dir.path().string());  // no size: the usual one
  ASSERT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(text_in(dir / "proxies" / "film.mov"), "mine");
  EXPECT_FALSE(fs::is_empty(dir / "tsukimi" / "proxies"));
}

// The tests themselves: whatever the environment says, what they empty is theirs.
TEST(OwnFiles, TheTestsKeepToFoldersThatTheyMade) {
  for (const char* variable : {"HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME"})
    EXPECT_TRUE(std::string(getenv(variable)).find("/tsukimi-user-") != std::string::npos)
        << variable;
  TempDir users;
  put(users / "queue.json", "mine");
  EXPECT_THROW(test::own_folders.clear(users.path()), std::logic_error);
  fs::create_directory_symlink(users.path(), fs::path(getenv("XDG_DATA_HOME")) / "link");
  EXPECT_THROW(test::own_folders.clear(fs::path(getenv("XDG_DATA_HOME")) / "link"),
               std::logic_error);
  EXPECT_EQ(text_in(users / "queue.json"), "mine");
}

TEST(OwnFiles, LeftoversAreOfWritersThatAreGone) {
  TempDir dir;
  const std::string gone = ".tsukimi-999999999-0.part";
  const std::vector<std::string> kept{".tsukimi-notes.part", ".tsukimi-999999999-x.part",
                                      ".tsukimi-999999999-0.part.part",
                                      ".tsukimi-" + std::to_string(getpid()) + "-3.part"};
  put(dir / gone, "half");
  for (const auto& name : kept) put(dir / name, "mine");
  put(dir / "mine.txt", "mine");
  fs::create_symlink(dir / "mine.txt", dir / ".tsukimi-999999998-0.part");
  // Somebody on another machine, whose numbers of processes are others, still writes.
  const fs::path held = dir / ".tsukimi-999999997-0.part";
  put(held, "half");
  const int writer = open(held.c_str(), O_RDWR | O_CLOEXEC);
  ASSERT_EQ(lock_file(writer, Share::alone), 0);
  remove_leftovers(dir.path());
  EXPECT_FALSE(fs::exists(dir / gone));
  EXPECT_TRUE(fs::exists(held));
  close(writer);
  remove_leftovers(dir.path());
  EXPECT_FALSE(fs::exists(held));
  for (const auto& name : kept) EXPECT_EQ(text_in(dir / name), "mine") << name;
  EXPECT_TRUE(fs::is_symlink(dir / ".tsukimi-999999998-0.part"));
  // A document's writer that was killed: the next one tidies up.
  put(dir / gone, "half");
  ASSERT_TRUE(write_document(dir / "a.json", "{\"format\": \"x\"}", "x"));
  EXPECT_FALSE(fs::exists(dir / gone));
}

class Making : public ::testing::Test {
 protected:
  TempDir dir;
  fs::path shoot = dir / "s.tsukimi";
  void plan(const fs::path& frames, const std::string& more = "") {
    const Ran r = run("plan " + frames.string() + more + " --out " + shoot.string());
    ASSERT_EQ(r.code, 0) << r.err;
  }
  Ran film(const std::string& more) {
    return run("film " + shoot.string() + " --size 60x40 " + more);
  }
};

TEST_F(Making, AFolderNamedAsTheSegmentsIsRefusedAndKept) {
  plan(shot_folder());
  fs::copy(shot_folder(), dir / "a.mp4.parts", fs::copy_options::recursive);
  const auto count = std::distance(fs::directory_iterator(dir / "a.mp4.parts"), {});
  const Ran r = film("--to " + (dir / "a.mp4").string() + " --also-frames " +
                     (dir / "frames").string() + ":f_##:jpeg");
  EXPECT_EQ(r.code, 1);
  expect_one_line(r, "a.mp4.parts");
  EXPECT_EQ(std::distance(fs::directory_iterator(dir / "a.mp4.parts"), {}), count);
  EXPECT_FALSE(fs::exists(dir / "a.mp4"));
  EXPECT_FALSE(fs::exists(dir / "frames")) << "refused before anything is made";
  // A link to the user's.
  fs::create_directories(dir / "mine");
  fs::create_directory_symlink(dir / "mine", dir / "b.mp4.parts");
  EXPECT_EQ(film("--to " + (dir / "b.mp4").string()).code, 1);
  EXPECT_TRUE(fs::is_symlink(dir / "b.mp4.parts"));
}

TEST_F(Making, WhatSomebodyPutsAmongSegmentsStays) {
  plan(shot_folder());
  const fs::path parts = dir / "a.mp4.parts";
  const std::string words = "--fps 1 --to " + (dir / "a.mp4").string();
  ASSERT_EQ(film(words + " --part 1/2").code, 0);
  const std::string named = std::string(32, 'f') + ".segment";
  put(parts / "notes.txt", "mine");
  put(parts / named, "mine");  // named as a segment, but none
  const Ran r = film(words);
  ASSERT_EQ(r.code, 0) << r.err;
  EXPECT_TRUE(fs::exists(dir / "a.mp4"));
  EXPECT_EQ(text_in(parts / "notes.txt"), "mine");
  EXPECT_EQ(text_in(parts / named), "mine");
  for (const auto& e : fs::directory_iterator(parts)) EXPECT_FALSE(is_segment_file(e.path())) << e;
  // An empty folder of the user's is used, and stays.
  fs::create_directories(dir / "b.mp4.parts");
  ASSERT_EQ(film("--to " + (dir / "b.mp4").string()).code, 0);
  EXPECT_TRUE(fs::exists(dir / "b.mp4.parts"));
  EXPECT_TRUE(fs::is_empty(dir / "b.mp4.parts"));
  ASSERT_EQ(film("--to " + (dir / "c.mp4").string()).code, 0);
  EXPECT_FALSE(fs::exists(dir / "c.mp4.parts"));
}

// JPEG frames, of which the shoot's folder holds links only.
TEST_F(Making, OriginalsBehindLinksAreNotReplaced) {
  plan(shot_folder());
  ASSERT_EQ(
      run("export " + shoot.string() +
          " --name i_## --format jpeg --size 120x80 --frames 0-7 --to " + (dir / "real").string())
          .code,
      0);
  std::map<std::string, std::string> before;
  fs::create_directories(dir / "links");
  for (const auto& e : fs::directory_iterator(dir / "real")) {
    if (e.path().extension() != ".jpg")
      fs::remove(e.path());
    else
      fs::create_symlink(e.path(), dir / "links" / e.path().filename());
  }
  for (const auto& e : fs::directory_iterator(dir / "real"))
    before[e.path().string()] = text_in(e.path());
  fs::remove(shoot);
  plan(dir / "links");
  fs::create_hard_link(dir / "real" / "i_01.jpg", dir / "hard.jpg");
  for (const std::string& words :
       {"export " + shoot.string() + " --format jpeg --name i_## --overwrite --to " +
            (dir / "real").string(),
        "export " + shoot.string() + " --format png8 --xmp --name n_## --to " +
            (dir / "real").string(),
        "film " + shoot.string() + " --overwrite --to " + (dir / "real" / "f.mp4").string(),
        "film " + shoot.string() + " --overwrite --poster 0 --to " + (dir / "hard.mp4").string()}) {
    const Ran r = run(words);
    EXPECT_EQ(r.code, 1) << words;
    for (const auto& [file, text] : before) EXPECT_EQ(text_in(file), text) << words << file;
    EXPECT_EQ(std::distance(fs::directory_iterator(dir / "real"), {}), 8) << words;
  }
}

TEST_F(Making, TheSoundOfAFilmIsNotReplacedByIt) {
  plan(shot_folder());
  ASSERT_EQ(std::system(
                ("ffmpeg -v error -f lavfi -i sine=duration=2 -c:a aac " + (dir / "x.mp4").string())
                    .c_str()),
            0);
  const std::string before = text_in(dir / "x.mp4");
  fs::create_symlink(dir / "x.mp4", dir / "y.mp4");
  for (const char* to : {"x.mp4", "y.mp4"}) {
    const Ran r =
        film("--overwrite --sound " + (dir / "x.mp4").string() + " --to " + (dir / to).string());
    EXPECT_EQ(r.code, 1) << to;
    expect_one_line(r, to);
    EXPECT_EQ(text_in(dir / "x.mp4"), before);
  }
}

TEST_F(Making, DocumentsAreWrittenOverNoPictureAndWhereALinkLeads) {
  fs::copy(shot_folder(), dir / "D", fs::copy_options::recursive);
  const fs::path empty = dir / "E" / "IMG_9.DNG";
  put(empty, "");
  fs::create_symlink(empty, dir / "link.tsukimi");
  EXPECT_EQ(run("plan " + (dir / "D").string() + " --out " + (dir / "link.tsukimi").string()).code,
            1);
  EXPECT_EQ(run("plan " + (dir / "D").string() + " --out " + empty.string()).code, 1);
  EXPECT_EQ(run("simulate --frames 2 --size 120x80 --out " + (dir / "F").string() + " --truth " +
                empty.string())
                .code,
            1);
  plan(dir / "D");
  EXPECT_EQ(run("save-look " + shoot.string() + " --frame 0 --name n --to " + empty.string()).code,
            1);
  EXPECT_EQ(text_in(empty), "");
  // One that is there already is replaced when that is asked for; a link to it stays one.
  fs::create_symlink(shoot, dir / "way.tsukimi");
  const std::string again =
      "plan " + (dir / "D").string() + " --level --out " + (dir / "way.tsukimi").string();
  const std::string before = text_in(shoot);
  const Ran refused = run(again);
  EXPECT_EQ(refused.code, 1);
  expect_one_line(refused, "--overwrite");
  EXPECT_EQ(text_in(shoot), before);
  EXPECT_EQ(run(again + " --overwrite").code, 0);
  EXPECT_TRUE(fs::is_symlink(dir / "way.tsukimi"));
  EXPECT_NE(text_in(shoot), before);
  EXPECT_EQ(run("measure " + (dir / "way.tsukimi").string() + " --json").code, 0);
}

TEST_F(Making, PathsThroughLinksAreFoundAsTheSystemFindsThem) {
  fs::create_directories(dir / "far" / "deep");
  fs::copy(shot_folder(), dir / "far" / "D", fs::copy_options::recursive);
  fs::create_directory_symlink(dir / "far" / "deep", dir / "lnk");
  EXPECT_EQ(plain_path(dir / "lnk" / ".." / "D" / "." / ""), fs::canonical(dir / "far" / "D"));
  EXPECT_EQ(plain_path(dir / "lnk" / "x"), dir / "lnk" / "x");
  shoot = dir / "lnk" / "s.tsukimi";
  plan(dir / "lnk" / ".." / "D");
  for (const fs::path& file : {shoot, dir / "far" / "deep" / "s.tsukimi"})
    EXPECT_EQ(run("measure " + file.string() + " --json").code, 0) << file;
  // What a part makes lies where the whole export would put it.
  const std::string to = (dir / "lnk" / ".." / "out").string();
  ASSERT_EQ(
      run("split " + shoot.string() + " --parts 2 --script make --out " + (dir / "mk").string() +
          " -- export --name f_## --format jpeg --size 60x40 --to " + to)
          .code,
      0);
  ASSERT_EQ(std::system(("make -s -f " + (dir / "mk").string() + " >/dev/null 2>&1").c_str()), 0);
  EXPECT_TRUE(fs::exists(dir / "far" / "out" / "f_12.jpg"));
  EXPECT_FALSE(fs::exists(dir / "out"));
}

TEST_F(Making, AShootThatWasChangedElsewhereIsNotWrittenOver) {
  plan(shot_folder(), " --keys 0,5");
  auto mine = *open_shoot(shoot), theirs = *open_shoot(shoot);
  theirs.decisions.fps = 30;
  ASSERT_TRUE(save_shoot(theirs, shoot));
  mine.decisions.fps = 25;
  const auto refused = save_shoot(mine, shoot);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::exists);
  EXPECT_EQ(open_shoot(shoot)->decisions.fps, 30);
  const auto saved = save_shoot(mine, shoot, Replace::any);
  ASSERT_TRUE(saved);
  mine.file_sum = *saved;
  EXPECT_TRUE(save_shoot(mine, shoot)) << "what was saved last is known";
  EXPECT_EQ(open_shoot(shoot)->decisions.fps, 25);
  const auto lost = save_shoot(mine, dir / "no" / "such" / "s.tsukimi");
  ASSERT_FALSE(lost);
  EXPECT_EQ(lost.error().code, ErrorCode::no_folder);
  EXPECT_FALSE(fs::exists(dir / "no"));
}

// Copied without their times, or restored from somewhere: by their checksums they are the same.
TEST_F(Making, FramesThatWereCopiedAreKnownAgain) {
  plan(shot_folder());
  const std::string words =
      "export " + shoot.string() + " --name f_## --format jpeg --size 60x40 --xmp --to ";
  ASSERT_EQ(run(words + (dir / "a").string()).code, 0);
  ASSERT_EQ(std::system(("cp -r " + (dir / "a").string() + " " + (dir / "b").string()).c_str()), 0);
  for (const auto& e : fs::directory_iterator(dir / "b"))
    fs::last_write_time(e.path(), fs::file_time_type::clock::now() - std::chrono::hours(2));
  Ran r = run(words + (dir / "b").string());
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_EQ(r.out, "0 frames written, 12 were there already\n");
  // One of other bytes is not, however many they are.
  for (const std::string& other :
       {std::string("something else"),
        std::string(static_cast<std::size_t>(fs::file_size(dir / "a" / "f_03.jpg")), 'x')}) {
    fs::remove(dir / "b" / "f_03.jpg");
    put(dir / "b" / "f_03.jpg", other);
    EXPECT_EQ(run(words + (dir / "b").string()).code, 1);
    EXPECT_EQ(text_in(dir / "b" / "f_03.jpg"), other);
  }
  ASSERT_EQ(film("--to " + (dir / "a.mp4").string()).code, 0);
  fs::create_directories(dir / "c");
  for (const char* name : {"a.mp4", kManifestName}) fs::copy(dir / name, dir / "c" / name);
  r = film("--to " + (dir / "c" / "a.mp4").string());
  EXPECT_EQ(r.code, 0) << r.err;
  EXPECT_NE(r.out.find("0 encoded now"), std::string::npos) << r.out;
}

TEST_F(Making, WhatCannotBeIsRefusedBeforeAnythingIsMade) {
  plan(shot_folder());
  expect_one_line(film("--poster 40 --to " + (dir / "a.mp4").string()), "poster");
  const Ran tiny =
      run("film " + shoot.string() + " --size 2x2 --codec h265 --to " + (dir / "a.mp4").string());
  EXPECT_EQ(tiny.code, 1);
  EXPECT_NE(tiny.err.find("pixels"), std::string::npos) << tiny.err;
  EXPECT_FALSE(fs::exists(dir / "a.mp4"));
  // One digit is enough for the frames that are exported.
  EXPECT_EQ(run("export " + shoot.string() +
                " --name f_# --format jpeg --size 60x40 --frames 0-8 --to " + (dir / "f").string())
                .code,
            0);
  EXPECT_EQ(run("export " + shoot.string() + " --name f_# --format jpeg --size 60x40 --to " +
                (dir / "f").string())
                .code,
            1);
  fs::remove(shoot);
  const Ran faded = run("plan " + shot_folder().string() + " --fade-in 5 --out " + shoot.string());
  EXPECT_EQ(faded.code, 0);
  expect_one_line(faded, "fades");
  const Ran room = run("film " + shoot.string() + " --codec h264 --to " + (dir / "r.mp4").string(),
                       test::faulty("FREE_BYTES=20000"));
  EXPECT_NE(room.err.find("may need"), std::string::npos) << room.err;
}

}  // namespace
}  // namespace tsukimi
