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
  int most = 1000;  // it takes
  bool has(int number) const override { return there.contains(number); }
  Rest put(int number, const FilmRecipe& recipe, const Image& picture) override {
    EXPECT_EQ(recipe.first().placement.size, picture.size());
    pictures.push_back(&picture);
    middles.push_back(picture.planes[1].at(picture.width / 2, picture.height / 2));
    return [this, number] { numbers.push_back(number); };
  }
  void miss(int number, const Error&) override { missed.insert(number); }
  bool broken() const override { return static_cast<int>(numbers.size()) >= most; }
};

TEST(DevelopPass, FramesAreDevelopedOnceForAllSinks) {
  const Shoot shoot = six();
  const auto plan = plan_export(shoot, {}, {});
  ASSERT_TRUE(plan);
  ASSERT_EQ(plan->frames.size(), 6u);
  EXPECT_EQ(plan->film, 6);
  Basket a, b;
  b.there = {2, 5};
  Sink* const sinks[] = {&a, &b};
  std::vector<std::pair<int, int>> steps;
  Work work;
  work.progress = [&](int done, int total) { steps.emplace_back(done, total); };
  develop_pass(*plan, sinks, work);
  EXPECT_EQ(a.numbers, (std::vector<int>{1, 2, 3, 4, 5, 6}));
  EXPECT_EQ(b.numbers, (std::vector<int>{1, 3, 4, 6}));
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
  const auto plan = plan_export(shoot, {}, {2, 4});
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->film, 6);
  Basket a, b;
  a.there = {3, 4};
  b.there = {3, 5};
  Sink* const sinks[] = {&a, &b};
  int first = -1;
  Work work;
  work.progress = [&](int done, int) { first = first < 0 ? done : first; };
  develop_pass(*plan, sinks, work);
  EXPECT_EQ(first, 1) << "one is there already for both";
  EXPECT_EQ(a.numbers, std::vector<int>{5});
  EXPECT_EQ(b.numbers, std::vector<int>{4});
  EXPECT_FALSE(plan_export(shoot, {}, {4, 6}));
}

TEST(DevelopPass, AFrameThatCannotBeReadIsMissedByAllAndABrokenSinkEndsIt) {
  Shoot shoot = six();
  shoot.sequence.frames[1].file = "gone.dng";
  const auto plan = plan_export(shoot, {}, {});
  Basket a, b;
  b.most = 2;
  Sink* const both[] = {&a, &b};
  develop_pass(*plan, both, {});
  EXPECT_EQ(a.missed, std::set<int>{2});
  EXPECT_EQ(b.missed, std::set<int>{2});
  EXPECT_EQ(a.numbers.size(), 5u) << "one sink goes on without the other";
  Basket alone;
  alone.most = 1;
  Sink* const one[] = {&alone};
  develop_pass(*plan, one, {});
  EXPECT_LT(alone.numbers.size(), 5u);
}

}  // namespace
}  // namespace tsukimi
