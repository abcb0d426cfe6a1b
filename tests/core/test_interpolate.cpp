// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "adjust/interpolate.h"

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

// The textbook's formulas once more (Fritsch & Butland 1984 inside, three-point ends held as
// Fritsch & Carlson ask), written out without any holding of values afterwards.
double reference(const std::vector<double>& x, const std::vector<double>& y, double at) {
  const std::size_t n = x.size();
  std::vector<double> h, s, d(n, 0.0);
  for (std::size_t i = 0; i + 1 < n; ++i) {
    h.push_back(x[i + 1] - x[i]);
    s.push_back((y[i + 1] - y[i]) / h[i]);
  }
  for (std::size_t i = 1; i + 1 < n; ++i)
    if (s[i - 1] * s[i] > 0)
      d[i] =
          3 * (h[i - 1] + h[i]) / ((2 * h[i] + h[i - 1]) / s[i - 1] + (h[i] + 2 * h[i - 1]) / s[i]);
  auto end = [](double h0, double h1, double s0, double s1) {
    const double v = ((2 * h0 + h1) * s0 - h0 * s1) / (h0 + h1);
    if (v * s0 <= 0) return 0.0;
    return std::fabs(v) > 3 * std::fabs(s0) ? 3 * s0 : v;
  };
  d[0] = end(h[0], h[1], s[0], s[1]);
  d[n - 1] = end(h[n - 2], h[n - 3], s[n - 2], s[n - 3]);
  std::size_t i = 0;
  while (i + 2 < n && at > x[i + 1]) ++i;
  const double t = (at - x[i]) / h[i];
  return y[i] * (1 + 2 * t) * (1 - t) * (1 - t) + y[i + 1] * t * t * (3 - 2 * t) +
         h[i] * t * (1 - t) * ((1 - t) * d[i] - t * d[i + 1]);
}

TEST(Interpolate, IsTheTextbooksCurveToTheEnds) {
  // Among them ends whose three-point slope points the wrong way, and ends that would be too steep.
  for (const auto& ys : std::vector<std::vector<double>>{{0, 1, 30},
                                                         {0, 30, 1},
                                                         {0, 30, 31},
                                                         {0, 0.1, -30},
                                                         {5, 4.9, 30},
                                                         {2, 3, -9, 4},
                                                         {1, 2, 2, 8},
                                                         {0, -4, -5, -25}})
    for (const double middle : {1.0, 5.0, 9.0}) {
      std::vector<double> xs{0, middle, 10};
      if (ys.size() == 4) xs.push_back(13);
      const MonotoneCurve c(xs, ys);
      for (double x = 0; x <= xs.back(); x += 0.01)
        ASSERT_NEAR(c.at(x), reference(xs, ys, x), 1e-9) << ys[1] << " " << middle << " at " << x;
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

// Slopes on both sides of a key, by differences.
TEST(Interpolate, EasingSaysHowAKeyIsPassed) {
  const std::vector<double> xs{0, 10, 25, 40}, ys{0, 4, 10, 13};
  auto slopes = [&](Easing easing) {
    const MonotoneCurve c(xs, ys, {Easing::smooth, easing, Easing::smooth, Easing::smooth});
    constexpr double h = 1e-5;
    EXPECT_EQ(c.at(10), 4);
    EXPECT_EQ(c.at(40), 13);
    return std::pair{(c.at(10) - c.at(10 - h)) / h, (c.at(10 + h) - c.at(10)) / h};
  };
  const auto smooth = slopes(Easing::smooth), straight = slopes(Easing::straight),
             eased = slopes(Easing::eased), hold = slopes(Easing::hold);
  EXPECT_NEAR(smooth.first, smooth.second, 1e-4);
  EXPECT_GT(smooth.first, 0.3);
  EXPECT_NEAR(straight.first, 0.4, 1e-4);
  EXPECT_NEAR(straight.second, 0.4, 1e-4);
  EXPECT_NEAR(eased.first, 0, 1e-4);
  EXPECT_NEAR(eased.second, 0, 1e-4);
  EXPECT_NEAR(hold.second, 0, 1e-4);
  const MonotoneCurve line(xs, ys, std::vector<Easing>(4, Easing::straight));
  for (double x = 0; x <= 40; x += 0.5) {
    const double y = x < 10 ? 0.4 * x : x < 25 ? 4 + 0.4 * (x - 10) : 10 + 0.2 * (x - 25);
    EXPECT_NEAR(line.at(x), y, 1e-12) << x;
  }
  const MonotoneCurve held(xs, ys, {Easing::smooth, Easing::hold, Easing::smooth, Easing::smooth});
  EXPECT_EQ(held.at(24.999), 4);
  EXPECT_EQ(held.at(25), 10);
  EXPECT_GT(held.at(30), 10);
}

// No easing overshoots, beside any other.
TEST(Interpolate, NoEasingOvershoots) {
  std::mt19937 random(77);
  std::uniform_real_distribution<double> value(-5, 5), step(0.1, 9);
  for (int run = 0; run < 200; ++run) {
    std::vector<double> xs{0}, ys{value(random)};
    std::vector<Easing> easing{static_cast<Easing>(random() % 4)};
    for (int i = 1; i < 7; ++i) {
      xs.push_back(xs.back() + step(random));
      ys.push_back(value(random));
      easing.push_back(static_cast<Easing>(random() % 4));
    }
    const MonotoneCurve c(xs, ys, easing);
    for (std::size_t i = 0; i + 1 < xs.size(); ++i)
      for (int k = 0; k <= 20; ++k) {
        const double y = c.at(xs[i] + (xs[i + 1] - xs[i]) * k / 20);
        EXPECT_GE(y, std::min(ys[i], ys[i + 1]) - 1e-12);
        EXPECT_LE(y, std::max(ys[i], ys[i + 1]) + 1e-12);
      }
  }
}

}  // namespace
}  // namespace tsukimi
