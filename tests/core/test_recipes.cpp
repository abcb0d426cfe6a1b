// SPDX-License-Identifier: GPL-3.0-or-later
// What a recipe of docs/architecture.md asks for besides code that does not compile without: the
// words of every table stand in docs/formats.md, and scripts/golden holds the pictures of each.
#include "adjust/parameters.h"
#include "core/cli_runner.h"
#include "document/exports/film_settings.h"
#include "document/pace/film_frames.h"
#include "places/place.h"
#include "queue/queue.h"

namespace tsukimi {
namespace {

std::string text_of_file(const char* name) {
  std::ifstream in(fs::path(TSUKIMI_SOURCE) / name);
  return {std::istreambuf_iterator<char>(in), {}};
}

// What docs/formats.md has as code, between backticks or in lines that are set in by four: "grain"
// may well be in a sentence about dust.
std::string formats() {
  std::string out, line;
  bool code = false;  // goes on from line to line of a paragraph
  for (std::istringstream text(text_of_file("docs/formats.md")); std::getline(text, line);) {
    if (line.starts_with("    ")) {
      out += line + "\n";
      continue;
    }
    if (line.empty()) code = false;
    for (char c : line) {
      if (c == '`')
        code = !code, out += '\n';
      else if (code)
        out += c;
    }
  }
  return out;
}

// As a word of its own, where fits(text, at) says so.
template <typename Fits>
bool says(const std::string& text, const std::string& word, const Fits& fits) {
  auto part = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; };
  for (auto at = text.find(word); at != text.npos; at = text.find(word, at + 1))
    if ((at == 0 || !part(text[at - 1])) &&
        (at + word.size() == text.size() || !part(text[at + word.size()])) && fits(text, at))
      return true;
  return false;
}
bool in_formats(const std::string& word) {
  static const std::string text = formats();
  return says(text, word, [](const std::string&, std::size_t) { return true; });
}
// scripts/golden: given to an option, or a string of JSON.
bool in_golden(const std::string& word) {
  static const std::string text = text_of_file("scripts/golden");
  return says(text, word, [](const std::string& all, std::size_t at) {
    if (at < 2) return false;
    if (all[at - 1] == '"') return true;
    const std::size_t before = all.find_last_of(" \n\"", at - 2);
    return (all[at - 1] == ' ' || all[at - 1] == '=') && before != all.npos &&
           all.compare(before + 1, 2, "--") == 0;
  });
}

// Of the ring and the curves there are numbers, told once for all of them.
bool is_numbered(Param p) { return p >= Param::hue_ring && p < Param::place_exposure; }

TEST(Recipes, EveryAdjustmentIsInTheFormatsAndInGolden) {
  ASSERT_GT(formats().size(), 10000u);
  for (const Kind& kind : {kLook, kPlace})
    for (const auto& row : kind.rows()) {
      if (is_numbered(row.id)) continue;
      EXPECT_TRUE(in_formats(row.name)) << row.name << " is not in docs/formats.md";
      EXPECT_TRUE(in_golden(row.name)) << row.name << " is not in scripts/golden";
    }
}

template <typename Rows>
void expect_words(const Rows& rows, bool golden_too = true) {
  for (const auto& row : rows) {
    EXPECT_TRUE(in_formats(row.name)) << row.name << " is not in docs/formats.md";
    EXPECT_TRUE(!golden_too || in_golden(row.name)) << row.name << " is not in scripts/golden";
  }
}

TEST(Recipes, EveryFormatCodecAndSpaceIsInTheFormatsAndInGolden) {
  expect_words(file_formats());
  expect_words(codecs());
  expect_words(colour_spaces());
  expect_words(kCompressions);
  expect_words(kChromas);
}

TEST(Recipes, EveryKindOfPlaceAndRepairIsInTheFormatsAndInGolden) {
  expect_words(kRepairKinds);
  expect_words(kFills);
  expect_words(kShapeKinds);
  expect_words(kCombines);
}

TEST(Recipes, EveryOtherWordIsInTheFormats) {
  expect_words(kEasings, false);
  expect_words(kFasterWords, false);
  expect_words(kSlowerWords, false);
  expect_words(kGapPolicies, false);
  expect_words(kSteadyings, false);
  expect_words(kAsidePolicies, false);
  expect_words(kFrameOrders, false);
  expect_words(kPairs, false);
  expect_words(kJobStates, false);
  expect_words(kSuspectKinds, false);
  expect_words(kPartKinds, false);
  expect_words(kSamplings, false);
}

}  // namespace
}  // namespace tsukimi
