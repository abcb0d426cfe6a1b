// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <random>

#include "motion/grid_cut.h"

namespace tsukimi {
namespace {

struct Costs {
  int w, h;
  std::vector<float> of_0, of_1, right, below;
  std::size_t at(int x, int y) const { return static_cast<std::size_t>(y * w + x); }

  Costs(int width, int height, unsigned seed) : w(width), h(height) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> some(0, 1);
    for (auto* list : {&of_0, &of_1, &right, &below})
      for (int i = 0; i < w * h; ++i) list->push_back(some(random));
  }

  double of(const std::vector<std::uint8_t>& labels) const {
    double sum = 0;
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        sum += labels[at(x, y)] ? of_1[at(x, y)] : of_0[at(x, y)];
        if (x + 1 < w && labels[at(x, y)] != labels[at(x + 1, y)]) sum += right[at(x, y)];
        if (y + 1 < h && labels[at(x, y)] != labels[at(x, y + 1)]) sum += below[at(x, y)];
      }
    return sum;
  }

  std::vector<std::uint8_t> cut() const {
    GridCut grid(w, h);
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        grid.set_costs(x, y, of_0[at(x, y)], of_1[at(x, y)]);
        if (x + 1 < w) grid.set_right(x, y, right[at(x, y)]);
        if (y + 1 < h) grid.set_below(x, y, below[at(x, y)]);
      }
    return grid.solve();
  }
};

TEST(GridCut, NoOtherLabelsAreCheaper) {
  for (unsigned seed = 0; seed < 300; ++seed) {
    const Costs costs(1 + static_cast<int>(seed % 4), 1 + static_cast<int>(seed / 4 % 4), seed);
    const int nodes = costs.w * costs.h;
    double least = 1e9;
    for (unsigned bits = 0; bits < 1u << nodes; ++bits) {
      std::vector<std::uint8_t> labels;
      for (int i = 0; i < nodes; ++i) labels.push_back(bits >> i & 1);
      least = std::min(least, costs.of(labels));
    }
    EXPECT_NEAR(costs.of(costs.cut()), least, 1e-5) << seed;
  }
}

// Too large for all of them: no patch of nodes turned over makes it cheaper.
TEST(GridCut, ALargeGridIsCheapestInEveryPatch) {
  Costs costs(64, 48, 7);
  for (float& v : costs.right) v *= 0.5f;
  for (float& v : costs.below) v *= 0.5f;
  const auto labels = costs.cut();
  const double least = costs.of(labels);
  EXPECT_GT(std::count(labels.begin(), labels.end(), 1), 0);
  EXPECT_LT(std::count(labels.begin(), labels.end(), 1), std::ssize(labels));
  std::mt19937 random(3);
  for (int round = 0; round < 4000; ++round) {
    auto other = labels;
    const int x0 = static_cast<int>(random() % 64), y0 = static_cast<int>(random() % 48),
              size = 1 + static_cast<int>(random() % 6);
    for (int y = y0; y < std::min(48, y0 + size); ++y)
      for (int x = x0; x < std::min(64, x0 + size); ++x) other[costs.at(x, y)] ^= 1;
    ASSERT_GE(costs.of(other), least - 1e-4);
  }
}

TEST(GridCut, WithoutCostsAllIsOne) {
  Costs costs(5, 4, 1);
  for (auto* list : {&costs.of_0, &costs.of_1}) std::fill(list->begin(), list->end(), 0.0f);
  for (auto label : costs.cut()) EXPECT_EQ(label, 1);
}

}  // namespace
}  // namespace tsukimi
