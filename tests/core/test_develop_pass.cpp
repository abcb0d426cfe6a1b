// SPDX-License-Identifier: GPL-3.0-or-later
// Plan, pass, sinks: each frame is developed once, whatever is made of it.
#include <gtest/gtest.h>

#include "output/develop_pass.h"
#include "support.h"

namespace tsukimi {
namespace {
using test::SmallShoot;

Shoot six() {
  static const SmallShoot made(
      [] {
        sim::CameraOptions c;
        c.frames = 6;
        c.seed = 12;
        return c;
      }(),
      {120, 80});
  return *start_shoot(*scan_folder(made.folder));
}

// Remembers what it was given.
struct Basket : Sink {
  std::set<int> there, missed;
  std::vector<int> numbers;
  std::vector<const Image*> pictures;
  std::vector<float> middles;
  std::vector<Size> sizes;
  std::atomic<int> beside{0};  // work that was done at once with that of others
  int most = 1000;             // it takes
  bool has(int number) const override { return there.contains(number); }
  Rest put(const MadeFrame& made) override {
    EXPECT_EQ(made.recipe.first().placement.size, made.picture.size());
    EXPECT_EQ(made.sources.size(), 32u) << made.sources;
    sizes.push_back(made.picture.size());
    pictures.push_back(&made.picture);
    middles.push_back(made.picture.planes[1].at(made.picture.width / 2, made.picture.height / 2));
    return {[this] { ++beside; }, [this, number = made.number] { numbers.push_back(number); }};
  }
  void miss(int number, const Error&) override { missed.insert(number); }
  bool broken() const override { return static_cast<int>(numbers.size()) >= most; }
};

TEST(DevelopPass, FramesAreDevelopedOnceForAllSinks) {
  const Shoot shoot = six();
  const auto plan = plan_export(shoot, {}, {}, {120, 80});
  ASSERT_TRUE(plan);
  ASSERT_EQ(plan->frames.size(), 6u);
  EXPECT_EQ(plan->film, 6);
  Basket a, b;
  b.there = {2, 5};
  const Route both[] = {{*plan, {&a, &b}}};
  std::vector<std::pair<int, int>> steps;
  Work work;
  work.progress = [&](int done, int total) { steps.emplace_back(done, total); };
  develop_pass(both, work);
  EXPECT_EQ(a.numbers, (std::vector<int>{1, 2, 3, 4, 5, 6}));
  EXPECT_EQ(b.numbers, (std::vector<int>{1, 3, 4, 6}));
  EXPECT_EQ(a.beside + b.beside, 10);
  for (std::size_t k = 0; k < b.numbers.size(); ++k)
    EXPECT_EQ(b.pictures[k], a.pictures[static_cast<std::size_t>(b.numbers[k]) - 1])
        << "one picture";
  for (int k = 0; k < 6; ++k) {
    const auto alone = develop_film_frame(plan->frames[k].recipe);
    EXPECT_EQ(alone->planes[1].at(60, 40), a.middles[k]) << k;
  }
  EXPECT_EQ(steps.back(), std::pair(6, 6));
}

TEST(DevelopPass, WhatAllHaveIsNotDevelopedAndARangeKeepsItsNumbers) {
  const Shoot shoot = six();
  const auto plan = plan_export(shoot, {}, {2, 4}, {120, 80});
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->film, 6);
  Basket a, b;
  a.there = {3, 4};
  b.there = {3, 5};
  const Route both[] = {{*plan, {&a, &b}}};
  int first = -1;
  Work work;
  work.progress = [&](int done, int) { first = first < 0 ? done : first; };
  develop_pass(both, work);
  EXPECT_EQ(first, 1) << "one is there already for both";
  EXPECT_EQ(a.numbers, std::vector<int>{5});
  EXPECT_EQ(b.numbers, std::vector<int>{4});
  EXPECT_FALSE(plan_export(shoot, {}, {4, 6}, {120, 80}));
}

TEST(DevelopPass, AFrameThatCannotBeReadIsMissedByAllAndABrokenSinkEndsIt) {
  Shoot shoot = six();
  shoot.sequence.frames[1].file = "gone.dng";
  const auto plan = plan_export(shoot, {}, {}, {120, 80});
  Basket a, b;
  b.most = 2;
  const Route both[] = {{*plan, {&a, &b}}};
  develop_pass(both, {});
  EXPECT_EQ(a.missed, std::set<int>{2});
  EXPECT_EQ(b.missed, std::set<int>{2});
  EXPECT_EQ(a.numbers.size(), 5u) << "one sink goes on without the other";
  Basket alone;
  alone.most = 1;
  const Route one[] = {{*plan, {&alone}}};
  develop_pass(one, {});
  EXPECT_LT(alone.numbers.size(), 5u);
}

// Two sizes in one pass: each as if it were made alone, from one reading.
TEST(DevelopPass, SeveralSizesOfOnePassAreWhatEachIsAlone) {
  const Shoot shoot = six();
  const auto large = plan_export(shoot, {}, {}, {120, 80}),
             small = plan_export(shoot, {}, {}, {60, 34});
  Basket a, b, c;
  c.there = {1, 2, 3, 4};
  const Route routes[] = {{*large, {&a}}, {*small, {&b, &c}}};
  std::vector<int> seen;
  develop_pass(routes, {}, [&](int number, const Image&) { seen.push_back(number); });
  EXPECT_EQ(seen, (std::vector<int>{1, 2, 3, 4, 5, 6}));
  EXPECT_EQ(c.numbers, (std::vector<int>{5, 6}));
  for (std::size_t k = 0; k < 6; ++k) {
    EXPECT_EQ(a.sizes[k], (Size{120, 80}));
    EXPECT_EQ(b.sizes[k], (Size{60, 34}));
    EXPECT_EQ(develop_film_frame(large->frames[k].recipe)->planes[1].at(60, 40), a.middles[k]);
    EXPECT_EQ(develop_film_frame(small->frames[k].recipe)->planes[1].at(30, 17), b.middles[k]);
  }
}

// Who makes a part makes whole runs of frames; together they make all, each frame once.
TEST(DevelopPass, PartsMakeEverythingOnce) {
  const Shoot shoot = six();
  for (int unit : {1, 2, 4})
    for (int count : {1, 2, 3, 7}) {
      std::vector<int> all;
      for (int index = 1; index <= count; ++index) {
        auto plan = *plan_export(shoot, {}, {}, {60, 40});
        take_part(plan, {index, count}, unit);
        EXPECT_EQ(plan.frames.size(), 6u) << "all of them are known";
        EXPECT_EQ(plan.begin % static_cast<std::size_t>(unit) == 0 || plan.begin == 6, true);
        Basket basket;
        const Route one[] = {{plan, {&basket}}};
        develop_pass(one, {});
        all.insert(all.end(), basket.numbers.begin(), basket.numbers.end());
      }
      EXPECT_EQ(all, (std::vector<int>{1, 2, 3, 4, 5, 6})) << unit << " " << count;
    }
}

}  // namespace
}  // namespace tsukimi
