// SPDX-License-Identifier: GPL-3.0-or-later
// Beyond one machine: parts that are made by themselves, and the scripts of engines that run them.
#include <atomic>
#include <barrier>
#include <thread>

#include "base/file.h"
#include "cli_runner.h"
#include "output/export_manifest.h"
#include "output/film_parts.h"
#include "output/folder_lock.h"
#include "output/split_script.h"

namespace tsukimi {
namespace {
using test::Ran;
using test::run;
using test::shot_folder;

class Parts : public ::testing::Test {
 protected:
  TempDir dir;
  fs::path shoot = dir / "it's here.tsukimi";
  void SetUp() override {
    ASSERT_EQ(
        run("plan " + shot_folder().string() + " --level --out " + shell_word(shoot.string())).code,
        0);
  }
  std::string quoted(const fs::path& p) { return shell_word(p.string()); }
  // Frames and sidecars of a folder, by name.
  std::map<std::string, std::vector<std::uint8_t>> files_of(const fs::path& folder) {
    std::map<std::string, std::vector<std::uint8_t>> out;
    for (const auto& e : fs::directory_iterator(folder))
      if (const std::string name = e.path().filename().string(); !is_manifest(name))
        out[name] = *read_file(e.path());
    return out;
  }
  int shell(const std::string& command) {
    return std::system((command + " >" + quoted(dir / "said") + " 2>&1").c_str());
  }
  std::string said() {
    const auto bytes = read_file(dir / "said");
    return bytes ? std::string(bytes->begin(), bytes->end()) : std::string();
  }
};

TEST_F(Parts, AnySliceOfFramesIsTheSameBytes) {
  const std::string how = " --name f_### --format png16 --size 60x40 --xmp ";
  ASSERT_EQ(run("export " + quoted(shoot) + how + "--to " + quoted(dir / "whole")).code, 0);
  ASSERT_EQ(run("export " + quoted(shoot) + how + "--frames 7-11 --to " + quoted(dir / "s")).code,
            0);
  ASSERT_EQ(run("export " + quoted(shoot) + how + "--frames 0-6 --to " + quoted(dir / "s")).code,
            0);
  EXPECT_EQ(files_of(dir / "s"), files_of(dir / "whole"));
  for (int i : {3, 1, 2})
    ASSERT_EQ(run("export " + quoted(shoot) + how + "--part " + std::to_string(i) + "/3 --to " +
                  quoted(dir / "p"))
                  .code,
              0);
  EXPECT_EQ(files_of(dir / "p"), files_of(dir / "whole"));
  EXPECT_EQ(run("verify " + quoted(dir / "p")).code, 0);
  // A part that lacks is told, and what it left behind is foreign to nobody.
  fs::remove(dir / "p" / "f_006.png");
  const Ran lacks = run("verify " + quoted(dir / "p"));
  EXPECT_EQ(lacks.code, 1);
  EXPECT_EQ(lacks.out, "missing f_006.png\n23 of 24 files are good\n");
}

TEST_F(Parts, AFilmIsJoinedOfSegmentsMadeAnywhere) {
  const std::string how = "film " + quoted(shoot) + " --fps 1 --size 60x40 --to ";
  ASSERT_EQ(run(how + quoted(dir / "whole.mp4")).code, 0);
  // On two machines that share nothing; then the segments are brought together.
  fs::create_directories(dir / "x");
  fs::create_directories(dir / "y");
  ASSERT_EQ(run(how + quoted(dir / "x" / "a.mp4") + " --part 1/2").code, 0);
  ASSERT_EQ(run(how + quoted(dir / "y" / "a.mp4") + " --part 2/2").code, 0);
  EXPECT_FALSE(fs::exists(dir / "x" / "a.mp4"));
  EXPECT_EQ(run("verify " + quoted(dir / "x")).out, "missing a.mp4\n0 of 1 files are good\n");
  fs::copy(dir / "y" / "a.mp4.parts", dir / "x" / "a.mp4.parts", fs::copy_options::recursive);
  const Ran joined = run(how + quoted(dir / "x" / "a.mp4"));
  EXPECT_EQ(joined.code, 0) << joined.err;
  EXPECT_NE(joined.out.find("0 encoded now"), std::string::npos) << joined.out;
  EXPECT_EQ(*read_file(dir / "x" / "a.mp4"), *read_file(dir / "whole.mp4"));
  EXPECT_FALSE(fs::exists(dir / "x" / "a.mp4.parts"));
}

TEST_F(Parts, MakeAndParallelRunTheScriptsAndSlurmsIsAShellScript) {
  const std::string how = " --parts 3 --script ",
                    film = " -- film --fps 1 --size 60x40 --to " + quoted(dir / "$a 'film'.mp4");
  const Ran made = run("split " + quoted(shoot) + how + "make --out " + quoted(dir / "mk") + film);
  ASSERT_EQ(made.code, 0) << made.err;
  const std::string use_cache = "XDG_CACHE_HOME=" + std::string(getenv("XDG_CACHE_HOME")) + " ";
  ASSERT_EQ(shell(use_cache + "make -j2 -f " + quoted(dir / "mk")), 0) << said();
  EXPECT_TRUE(fs::exists(dir / "$a 'film'.mp4")) << said();
  const std::string frames =
      " -- export --name f_## --format jpeg --size 60x40 --to " + quoted(dir / "out put");
  ASSERT_EQ(
      run("split " + quoted(shoot) + how + "parallel --out " + quoted(dir / "p") + frames).code, 0);
  ASSERT_EQ(shell(use_cache + "sh " + quoted(dir / "p")), 0) << said();
  EXPECT_NE(said().find("12 of 12 files are good"), std::string::npos) << said();
  ASSERT_EQ(run("split " + quoted(shoot) + how + "slurm --out " + quoted(dir / "s") + frames).code,
            0);
  EXPECT_EQ(shell("sh -n " + quoted(dir / "s")), 0) << said();
  const auto text = *read_file(dir / "s");
  const std::string slurm(text.begin(), text.end());
  EXPECT_NE(slurm.find("--array=1-3"), std::string::npos);
  EXPECT_NE(slurm.find("#SBATCH --mem="), std::string::npos);
  // A stand-in that runs what is submitted, first the array, then what waits for it.
  std::ofstream(dir / "sbatch") << R"(#!/bin/sh
case "$*" in
*--array*) for i in 1 2 3; do SLURM_JOB_ID=7 SLURM_ARRAY_TASK_ID=$i sh "$3" >&2; done; echo 7 ;;
*--kill-on-invalid-dep=yes*) SLURM_JOB_ID=8 sh "$3" ;;
esac
)";
  fs::permissions(dir / "sbatch", fs::perms::owner_all);
  fs::remove_all(dir / "out put");
  EXPECT_EQ(shell(use_cache + "PATH=" + quoted(dir.path()) + ":$PATH sh " + quoted(dir / "s")), 0)
      << said();
  EXPECT_NE(said().find("12 of 12 files are good"), std::string::npos) << said();
  // Options alone say what they are of.
  ASSERT_EQ(run("split " + quoted(shoot) + how + "make --out " + quoted(dir / "mk2") + " -- --to " +
                quoted(dir / "g") + " --name g_## --format jpeg")
                .code,
            0);
  const auto rules = *read_file(dir / "mk2");
  EXPECT_NE(std::string(rules.begin(), rules.end()).find("tsukimi-batch export "),
            std::string::npos);
  // What is no export is refused before anything is written.
  EXPECT_NE(
      run("split " + quoted(shoot) + how + "make --out " + quoted(dir / "z") + " -- measure").code,
      0);
  EXPECT_FALSE(fs::exists(dir / "z"));
}

// Signs that a shell, make, GNU parallel or Slurm would read as its own.
const std::vector<std::string>& odd_names() {
  static const std::vector<std::string> names{
      "plain",       "two words",   "it's",    "\"quoted\"",  "a'b\"c",
      "$(touch x)",  "`touch x`",   "$HOME",   "$$",          "${IFS}x",
      "{}",          "{= die =}",   "{#}",     "{%}",         "{1}",
      "{.}",         "#hash",       "a # b",   "100%",        "%d %s",
      "a%b",         "line\nbreak", "\nfirst", "last\n",      "tab\there",
      "back\\slash", "end\\",       "a\\\nb",  "semi;colon",  "a&b|c",
      "<in>out",     "star*",       "what?",   "[abc]",       "!bang",
      "~tilde",      "-dash",       "(round)", "comma,{a,b}", "\xc3\xa4 \xe6\xb8\xaf"};
  return names;
}

class PartsSlow : public Parts {
 protected:
  void SetUp() override {
    ASSERT_EQ(run("simulate --frames 3 --size 96x64 --seed 4 --out " + quoted(dir / "D")).code, 0);
    ASSERT_EQ(run("plan " + quoted(dir / "D") + " --fps 1 --out " + quoted(shoot)).code, 0);
    std::ofstream(dir / "sbatch") << R"(#!/bin/sh
for last; do :; done
case "$*" in
*--array*) for i in 1 2; do SLURM_JOB_ID=7 SLURM_ARRAY_TASK_ID=$i sh "$last" >&2; done; echo 7 ;;
*--kill-on-invalid-dep=yes*) SLURM_JOB_ID=8 sh "$last" ;;
esac
)";
    fs::permissions(dir / "sbatch", fs::perms::owner_all);
  }
};

TEST_F(PartsSlow, FortyNamesThroughThreeEnginesGiveTheSameBytes) {
  const std::string film = "film --size 60x40 --to ",
                    frames = "export --name f_## --format png8 --size 60x40 --to ";
  ASSERT_EQ(run("film " + quoted(shoot) + film.substr(4) + quoted(dir / "whole.mp4")).code, 0);
  ASSERT_EQ(run("export " + quoted(shoot) + frames.substr(6) + quoted(dir / "whole")).code, 0);
  const auto whole_film = *read_file(dir / "whole.mp4");
  const auto whole_frames = files_of(dir / "whole");
  ASSERT_EQ(odd_names().size(), 40u);
  for (const std::string& name : odd_names())
    for (const std::string engine : {"make", "parallel", "slurm"}) {
      SCOPED_TRACE(engine + " " + printable(name));
      const fs::path work = dir / engine / name;  // also of the script, but for make
      fs::create_directories(work);
      fs::copy(shoot, work / "s.tsukimi", fs::copy_options::overwrite_existing);
      const fs::path script = (engine == "make" ? dir / engine : work) / "script";
      for (const bool is_film : {true, false}) {
        fs::remove(script);
        const fs::path out = work / (name + (is_film ? ".mp4" : ""));
        ASSERT_EQ(run("split " + quoted(shoot) + " --parts 2 --script " + engine + " --out " +
                      quoted(script) + " -- " + (is_film ? film : frames) + quoted(out))
                      .code,
                  0);
        const std::string how = engine == "make" ? "make -s -j2 -f " : "sh ";
        ASSERT_EQ(shell("cd / && PATH=" + quoted(dir.path()) + ":$PATH " + how + quoted(script)), 0)
            << said();
        if (is_film)
          EXPECT_EQ(*read_file(out), whole_film);
        else
          EXPECT_EQ(files_of(out), whole_frames);
        fs::remove_all(out);
      }
    }
  EXPECT_FALSE(fs::exists("/x")) << "what stands in a name was run";
}

// One that leaves looks whether it was the last: who comes just then is not sent away.
TEST_F(Parts, ComeAndGoAtTheSameTime) {
  fs::create_directories(dir / "busy");
  std::atomic<int> refused{0};
  std::vector<std::thread> parts;
  for (int part = 1; part <= 3; ++part)
    parts.emplace_back([&, part] {
      for (int round = 0; round < 300; ++round)
        if (!FolderLock::take(dir / "busy", "part", part)) ++refused;
    });
  for (auto& p : parts) p.join();
  EXPECT_EQ(refused, 0);
}

// One that ends takes the folder away; who begins just then makes it again.
TEST_F(Parts, AFolderThatGoesWhileAnotherComesIsMadeAgain) {
  const fs::path parts = dir / "f.mp4.parts";
  std::atomic<int> refused{0};
  std::vector<std::thread> ones;
  for (int part = 1; part <= 3; ++part)
    ones.emplace_back([&, part] {
      for (int round = 0; round < 300; ++round) {
        if (!take_parts_folder(parts, "part", part)) ++refused;
        drop_parts_folder(parts);
      }
    });
  for (auto& one : ones) one.join();
  EXPECT_EQ(refused, 0);
  drop_parts_folder(parts);
  EXPECT_FALSE(fs::exists(parts)) << "the last takes it along";
}

TEST_F(Parts, WhoLeaveAtTheSameTimeLeaveNothingBehind) {
  fs::create_directories(dir / "busy");
  constexpr int kRounds = 500;
  std::barrier together(2);
  int left = 0;  // rounds after which a file was there
  const auto part = [&](int number) {
    for (int round = 0; round < kRounds; ++round) {
      {
        const auto lock = FolderLock::take(dir / "busy", "part", number);
        together.arrive_and_wait();  // both hold it
      }
      together.arrive_and_wait();  // both have left
      if (number == 1 && !fs::is_empty(dir / "busy")) ++left;
      together.arrive_and_wait();
    }
  };
  std::thread other(part, 2);
  part(1);
  other.join();
  EXPECT_EQ(left, 0);
}

TEST_F(Parts, OnesOfTheSameExportShareAFolderAndNobodyElse) {
  fs::create_directories(dir / "f");
  const auto one = FolderLock::take(dir / "f", "part one", 1);
  ASSERT_TRUE(one);
  EXPECT_TRUE(FolderLock::take(dir / "f", "part two", 2));
  const auto same = FolderLock::take(dir / "f", "part one again", 1);
  ASSERT_FALSE(same);
  EXPECT_NE(same.error().message.find("part one"), std::string::npos);
  EXPECT_FALSE(FolderLock::take(dir / "f", "all of it"));
  { const auto gone = std::move(*const_cast<Result<FolderLock>&>(one)); }
  EXPECT_TRUE(fs::is_empty(dir / "f")) << "the last takes the files along";
  const auto whole = FolderLock::take(dir / "f", "all of it");
  EXPECT_FALSE(FolderLock::take(dir / "f", "part one", 1));
}

}  // namespace
}  // namespace tsukimi
