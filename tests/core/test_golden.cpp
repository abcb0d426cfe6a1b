// SPDX-License-Identifier: GPL-3.0-or-later
// How scripts/golden judges hashes that changed: when the engine's number must be raised.
#include "core/cli_runner.h"

namespace tsukimi {
namespace {

class Golden : public ::testing::Test {
 protected:
  // What is said of a list that follows the kept one.
  std::string judge(const std::string& now) {
    std::ofstream(dir_ / "now") << now;
    std::ofstream(dir_ / "kept") << "engine 3\na/1.jpg 11 aa\na/2.jpg 12 bb\na.measure - cc\n";
    const std::string out = (dir_ / "out").string();
    code_ = std::system((TSUKIMI_GOLDEN " judge " + (dir_ / "kept").string() + " " +
                         (dir_ / "now").string() + " >" + out)
                            .c_str());
    std::ifstream in(out);
    return {std::istreambuf_iterator<char>(in), {}};
  }
  bool asks_for_a_number(const std::string& said) const {
    return code_ != 0 && said.find("raise kEngine") != std::string::npos;
  }

  TempDir dir_;
  int code_ = 0;
};

TEST_F(Golden, TheSameIsGood) {
  judge("engine 3\na/1.jpg 11 aa\na/2.jpg 12 bb\na.measure - cc\n");
  EXPECT_EQ(code_, 0);
}

TEST_F(Golden, OtherBytesOfTheSameRecipeAskForAnEngine) {
  const auto said = judge("engine 3\na/1.jpg 11 aa\na/2.jpg 12 xx\na.measure - cc\n");
  EXPECT_TRUE(asks_for_a_number(said)) << said;
  EXPECT_NE(said.find("a/2.jpg: other bytes"), std::string::npos) << said;
}

TEST_F(Golden, WhatIsPlannedOtherwiseIsSaidButNeedsNone) {
  for (const char* now : {"engine 3\na/1.jpg 11 aa\na/2.jpg 99 xx\na.measure - cc\n",
                          "engine 3\na/1.jpg 11 aa\na/2.jpg 12 bb\na.measure - xx\n",
                          "engine 3\na/1.jpg 11 aa\na.measure - cc\n",
                          "engine 4\na/1.jpg 21 xx\na/2.jpg 22 xx\na.measure - cc\n"}) {
    const auto said = judge(now);
    EXPECT_NE(code_, 0) << now;
    EXPECT_FALSE(asks_for_a_number(said)) << said;
  }
}

}  // namespace
}  // namespace tsukimi
