#include <gtest/gtest.h>

#include <cmath>
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

// Fritsch & Butland's slope at a key between uneven neighbours, worked out by hand: secants 1 and 3
// over 2 and 6 give weights 14 and 10, and a slope of 24 / (14 / 1 + 10 / 3).
TEST(Interpolate, SlopesAreWeightedByTheNearerSide) {
  const MonotoneCurve c({0, 2, 8}, {0, 2, 20});
  const double slope = (c.at(2 + 1e-6) - c.at(2)) / 1e-6;
  EXPECT_NEAR(slope, 24 / (14.0 / 1 + 10.0 / 3), 1e-4);
}

// Ends whose three-point slope would point past the first key, or be too steep for it.
TEST(Interpolate, EndsAreHeldTooAndDoNotSwing) {
  for (const auto& ys : std::vector<std::vector<double>>{
           {0, 1, 30}, {0, 30, 1}, {0, 30, 31}, {0, 0.1, -30}, {5, 4.9, 30}}) {
    for (const double middle : {1.0, 5.0, 9.0}) {
      const MonotoneCurve c({0, middle, 10}, ys);
      double before = c.at(0);
      const double way = ys[1] - ys[0];
      for (double x = 0; x <= middle; x += middle / 200) {
        EXPECT_GE((c.at(x) - before) * way, -1e-12) << ys[1] << " " << middle << " at " << x;
        before = c.at(x);
      }
      // Not steeper at the end than three times the way to the next key (Fritsch & Carlson).
      const double h = middle * 1e-6, slope = (c.at(h) - c.at(0)) / h, secant = way / middle;
      EXPECT_LE(std::fabs(slope), 3.001 * std::fabs(secant));
      EXPECT_GE(slope * secant, -1e-9);
    }
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
