// SPDX-License-Identifier: GPL-3.0-or-later
// Runs tsukimi-batch as a user would.
#pragma once

#include <gtest/gtest.h>
#include <sys/wait.h>

#include <map>
#include <set>

#include "camera/frame_info.h"
#include "support.h"

namespace tsukimi::test {

struct Ran {
  int code;
  std::string out, err;
};

inline Ran run(const std::string& arguments, const std::string& before = "") {
  const TempDir dir;
  const std::string command = before + TSUKIMI_BATCH " " + arguments + " >" +
                              (dir / "out").string() + " 2>" + (dir / "err").string();
  const int status = std::system(command.c_str());
  auto read = [](const fs::path& p) {
    std::ifstream in(p);
    return std::string((std::istreambuf_iterator<char>(in)), {});
  };
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, read(dir / "out"), read(dir / "err")};
}

// The library in TSUKIMI_FAULTS makes system calls fail, as a disk would: faulty("FAIL_...=1")
// stands before a command. Under the address sanitizer it comes before that one's own library.
inline std::string faulty(const std::string& what) {
  return what + " ASAN_OPTIONS=verify_asan_link_order=0 LD_PRELOAD=" TSUKIMI_FAULTS " ";
}

// Twelve frames, shot once.
inline const fs::path& shot_folder() {
  static const TempDir dir;
  static const fs::path folder = [] {
    const auto r = run("simulate --out " + (dir / "h").string() +
                       " --frames 12 --size 240x160 --seed 6 --truth " + (dir / "t.json").string());
    EXPECT_EQ(r.code, 0) << r.err;
    return dir / "h";
  }();
  return folder;
}

inline void expect_one_line(const Ran& r, const std::string& word) {
  EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << r.err;
  EXPECT_NE(r.err.find(word), std::string::npos) << r.err;
}

}  // namespace tsukimi::test

namespace tsukimi {
namespace fs = std::filesystem;
using test::TempDir;
}  // namespace tsukimi
