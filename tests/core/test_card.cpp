// SPDX-License-Identifier: GPL-3.0-or-later
// Bringing in from a card: what is on it, copies that are whole, going on after a break.
#include <gtest/gtest.h>
#include <sys/resource.h>
#include <csignal>

#include "base/copy.h"
#include "base/file.h"
#include "core/cli_runner.h"
#include "folder/card.h"

namespace tsukimi {
namespace {

const fs::path& card_folder() {
  static const TempDir dir;
  static const fs::path card = [] {
    EXPECT_TRUE(sim::simulate_card(dir / "card", 5, {240, 160}));
    return dir / "card";
  }();
  return card;
}

std::map<std::string, std::vector<std::uint8_t>> contents(const fs::path& folder) {
  std::map<std::string, std::vector<std::uint8_t>> out;
  for (const auto& e : fs::recursive_directory_iterator(folder))
    if (e.is_regular_file())
      out[e.path().lexically_relative(folder).string()] = *read_file(e.path());
  return out;
}

TEST(CardScan, FindsTwoSequencesTheBracketsAndTheWrap) {
  const auto card = read_card(card_folder());
  ASSERT_TRUE(card) << card.error().message;
  const auto& parts = card->scan.parts;
  ASSERT_EQ(parts.size(), 3u);
  EXPECT_EQ(parts[0].frames.size(), 26u);
  EXPECT_NEAR(parts[0].interval, 20, 0.1);
  EXPECT_EQ(parts[1].kind, PartKind::brackets);
  EXPECT_EQ(parts[1].per_moment, 3);
  EXPECT_EQ(parts[1].moments(), 9);
  EXPECT_EQ(parts[2].frames.size(), 22u);
  EXPECT_NEAR(parts[2].interval, 8, 0.1);
  // The brackets go from 9978 over 9999 to 0005.
  EXPECT_EQ(card->files[parts[1].frames.front()].filename(), "TSK_9978.dng");
  EXPECT_EQ(card->files[parts[1].frames.back()].filename(), "TSK_0005.dng");
  EXPECT_TRUE(card->scan.ordering.wrapped);
}

TEST(CardScan, NothingThereIsAnError) {
  TempDir dir;
  fs::create_directories(dir / "card" / "DCIM");
  EXPECT_NE(read_card(dir / "card").error().message.find("no pictures"), std::string::npos);
  EXPECT_FALSE(read_card(dir / "gone"));
}

TEST(BringIn, CopiesAreTheSameBytesAndTheCardStaysAsItWas) {
  TempDir dir;
  const auto before = contents(card_folder());
  const auto card = *read_card(card_folder());
  const auto report = bring_in(card, card.scan.parts[2], dir / "ferry");
  ASSERT_TRUE(report) << report.error().message;
  EXPECT_EQ(report->copied, 22);
  EXPECT_EQ(report->problem, "");
  const auto copies = contents(dir / "ferry");
  EXPECT_EQ(copies.size(), 22u);
  for (const auto& [name, bytes] : copies)
    EXPECT_EQ(bytes, before.at("DCIM/100TSUKI/" + name)) << name;
  EXPECT_EQ(contents(card_folder()), before);
  // A copy is as old as its original: a card's times are when the pictures were taken.
  EXPECT_EQ(fs::last_write_time(dir / "ferry" / "TSK_0006.dng"),
            fs::last_write_time(card_folder() / "DCIM/100TSUKI/TSK_0006.dng"));
}

TEST(BringIn, RecognisesWhatIsThereAndGoesOn) {
  TempDir dir;
  const auto card = *read_card(card_folder());
  int seen = 0;
  bool totals = true;
  std::atomic<bool> stop{false};
  const Work work{[&](int done, int) { stop = done >= 10; }, &stop};
  const auto broken = *bring_in(card, card.scan.parts[0], dir / "quay", work);
  EXPECT_TRUE(broken.cancelled);
  EXPECT_EQ(broken.copied, 10);
  EXPECT_EQ(contents(dir / "quay").size(), 10u) << "no half files";
  const auto rest =
      *bring_in(card, card.scan.parts[0], dir / "quay",
                {[&](int done, int total) { seen = done, totals &= total == 26; }, nullptr});
  EXPECT_EQ(rest.there, 10);
  EXPECT_EQ(rest.copied, 16);
  EXPECT_EQ(seen, 26);
  EXPECT_TRUE(totals);
}

TEST(BringIn, NeverReplacesAnotherPictureOfTheSameName) {
  TempDir dir;
  fs::create_directories(dir / "quay");
  std::ofstream(dir / "quay" / "TSK_9960.dng") << "another picture";
  const auto card = *read_card(card_folder());
  const auto report = bring_in(card, card.scan.parts[0], dir / "quay");
  ASSERT_FALSE(report);
  EXPECT_NE(report.error().message.find("TSK_9960.dng"), std::string::npos);
  EXPECT_EQ(contents(dir / "quay").size(), 1u);
}

TEST(BringIn, AFolderOnTheCardIsRefused) {
  const auto card = *read_card(card_folder());
  const auto before = contents(card_folder());
  EXPECT_FALSE(bring_in(card, card.scan.parts[0], card_folder() / "DCIM" / "copies"));
  fs::remove_all(card_folder() / "DCIM" / "copies");
  EXPECT_EQ(contents(card_folder()), before);
}

TEST(BringIn, ACardPulledOutLeavesWholeFilesAndSaysHowToGoOn) {
  TempDir dir;
  fs::copy(card_folder(), dir / "card", fs::copy_options::recursive);
  const auto card = *read_card(dir / "card");
  std::atomic<bool> never{false};
  const Work work{[&](int done, int) {
                    if (done == 7) fs::rename(dir / "card", dir / "pulled");
                  },
                  &never};
  const auto report = *bring_in(card, card.scan.parts[0], dir / "quay", work);
  EXPECT_EQ(report.copied, 7);
  EXPECT_NE(report.problem.find("7 of 26"), std::string::npos) << report.problem;
  EXPECT_NE(report.problem.find("go on"), std::string::npos) << report.problem;
  EXPECT_EQ(contents(dir / "quay").size(), 7u);
  fs::rename(dir / "pulled", dir / "card");
  EXPECT_EQ(bring_in(card, card.scan.parts[0], dir / "quay")->copied, 19);
}

TEST(BringIn, ATargetThatIsFullSaysSoAndKeepsWhatIsWhole) {
  TempDir dir;
  const std::string limit = "ulimit -f 40; ";  // blocks of 512 or 1024 bytes: less than one frame
  const auto r = test::run(
      "bring-in " + card_folder().string() + " --sequence 0 --to " + (dir / "quay").string(),
      limit);
  EXPECT_EQ(r.code, 1);
  EXPECT_NE(r.err.find("safe in"), std::string::npos) << r.err;
  EXPECT_TRUE(contents(dir / "quay").empty());
}

TEST(BringIn, OneNameInTwoSubfoldersGetsItsFoldersName) {
  TempDir dir;
  const fs::path from = card_folder() / "DCIM" / "100TSUKI";
  fs::create_directories(dir / "card/DCIM/100TSUKI");
  fs::create_directories(dir / "card/DCIM/101TSUKI");
  // The counter was reset: the second folder's names begin again at the same number.
  for (int i = 0; i < 10; ++i) {
    char a[32], b[32];
    std::snprintf(a, sizeof a, "TSK_%04d.dng", 9952 + i);
    std::snprintf(b, sizeof b, "TSK_%04d.dng", 9962 + i);
    fs::copy(from / a, dir / "card/DCIM/100TSUKI" / a);
    fs::copy(from / b, dir / "card/DCIM/101TSUKI" / a);
  }
  const auto card = *read_card(dir / "card");
  ASSERT_EQ(card.scan.parts.size(), 1u);
  const auto report = bring_in(card, card.scan.parts[0], dir / "quay");
  ASSERT_TRUE(report) << report.error().message;
  EXPECT_EQ(report->copied, 20);
  // Their order by name is that of the clock.
  const auto s = *scan_folder(dir / "quay");
  EXPECT_EQ(s.frames.size(), 20u);
  EXPECT_EQ(s.ordering.backwards, 0);
  EXPECT_EQ(s.frames[0].file, "100TSUKI_TSK_9952.dng");
}

TEST(BringIn, FromTheCommandLine) {
  TempDir dir;
  const auto listed = test::run("bring-in " + card_folder().string());
  EXPECT_EQ(listed.code, 0);
  EXPECT_EQ(std::count(listed.out.begin(), listed.out.end(), '\n'), 3) << listed.out;
  const std::string to = (dir / "home").string();
  EXPECT_EQ(test::run("bring-in " + card_folder().string() + " --to " + to + " --sequence 2").code,
            0);
  EXPECT_EQ(contents(dir / "home").size(), 22u);
  const auto all =
      test::run("bring-in " + card_folder().string() + " --to " + (dir / "all").string());
  EXPECT_EQ(all.code, 0);
  EXPECT_EQ(contents(dir / "all" / "sequence_2").size(), 27u);
  const auto none =
      test::run("bring-in " + card_folder().string() + " --to " + to + " --sequence 7");
  EXPECT_EQ(none.code, 1);
  test::expect_one_line(none, "no sequence 7");
}

TEST(Copy, ComparesBySizeThenContent) {
  TempDir dir;
  std::ofstream(dir / "a") << "moon light";
  std::ofstream(dir / "b") << "moon night";
  std::ofstream(dir / "c") << "moon";
  EXPECT_FALSE(*same_content(dir / "a", dir / "b"));
  EXPECT_FALSE(*same_content(dir / "a", dir / "c"));
  ASSERT_TRUE(copy_verified(dir / "a", dir / "d"));
  EXPECT_TRUE(*same_content(dir / "a", dir / "d"));
  EXPECT_FALSE(copy_verified(dir / "b", dir / "d")) << "never replaces";
  EXPECT_TRUE(*same_content(dir / "a", dir / "d"));
  EXPECT_FALSE(same_content(dir / "a", dir / "gone"));
}

}  // namespace
}  // namespace tsukimi
