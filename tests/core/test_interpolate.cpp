#include <gtest/gtest.h>

#include "light/interpolate.h"

namespace tsukimi {
namespace {

TEST(Interpolate, ExactAtKeysAndConstantOutside) {
  const std::vector<double> xs{0, 17, 60, 61, 179}, ys{0.3, -1.7, 2.25, 2.0, 5.5};
  const MonotoneCurve c(xs, ys);
  for (std::size_t i = 0; i < xs.size(); ++i) EXPECT_EQ(c.at(xs[i]), ys[i]);
  EXPECT_EQ(c.at(-10), 0.3);
  EXPECT_EQ(c.at(500), 5.5);
}

TEST(Interpolate, NeverOvershoots) {
  // A flat stretch between steep ones, and turning points: where ordinary cubics swing.
  const std::vector<double> xs{0, 10, 20, 30, 40, 43, 60}, ys{0, 5, 5, -3, -3.1, 2, 0.5};
  const MonotoneCurve c(xs, ys);
  for (std::size_t k = 0; k + 1 < xs.size(); ++k) {
    const double low = std::min(ys[k], ys[k + 1]), high = std::max(ys[k], ys[k + 1]);
    double before = c.at(xs[k]);
    for (double x = xs[k]; x <= xs[k + 1]; x += 0.05) {
      const double v = c.at(x);
      EXPECT_GE(v, low - 1e-12);
      EXPECT_LE(v, high + 1e-12);
      EXPECT_GE((v - before) * (ys[k + 1] >= ys[k] ? 1 : -1), -1e-12) << "not monotone at " << x;
      before = v;
    }
  }
}

TEST(Interpolate, SmoothAtKeys) {
  const MonotoneCurve c({0, 10, 25, 30}, {0, 1, 4, 4.5});
  for (double key : {10.0, 25.0}) {
    const double left = (c.at(key) - c.at(key - 1e-5)) / 1e-5,
                 right = (c.at(key + 1e-5) - c.at(key)) / 1e-5;
    EXPECT_NEAR(left, right, 1e-3);
    EXPECT_GT(left, 0.02);  // not merely flat
  }
}

TEST(Interpolate, TwoKeysAreAStraightLine) {
  const MonotoneCurve c({0, 8}, {1, 5});
  for (double x = 0; x <= 8; x += 0.5) EXPECT_NEAR(c.at(x), 1 + x / 2, 1e-12);
}

TEST(Interpolate, OneKeyIsEverywhere) {
  const MonotoneCurve c({5}, {2});
  EXPECT_EQ(c.at(0), 2);
  EXPECT_EQ(c.at(9), 2);
}

}  // namespace
}  // namespace tsukimi
