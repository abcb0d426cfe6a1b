// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/tone_response.h"

#include <gtest/gtest.h>

#include <cmath>

namespace tsukimi {
namespace {

std::vector<float> with(Param p, double value) {
  Look look = presets(kLook);
  look[p] = value;
  return tone_response(look, 101);
}
float at(const std::vector<float>& v, int percent) { return v[static_cast<std::size_t>(percent)]; }

TEST(ToneResponse, NothingMovesWhereNothingIsSet) {
  const auto v = tone_response(presets(kLook), 101);
  ASSERT_EQ(v.size(), 101u);
  for (int i = 0; i <= 100; ++i) EXPECT_NEAR(at(v, i), i / 100.0, 2e-3) << i;
}

TEST(ToneResponse, EachMovesItsTones) {
  const auto shadows = with(Param::shadows, 80);
  EXPECT_GT(at(shadows, 15), 0.2f);
  EXPECT_NEAR(at(shadows, 90), 0.9, 0.02);
  const auto highlights = with(Param::highlights, -80);
  EXPECT_LT(at(highlights, 85), 0.8f);
  EXPECT_NEAR(at(highlights, 15), 0.15, 0.02);
  const auto contrast = with(Param::contrast, 60);
  EXPECT_LT(at(contrast, 20), 0.18f);
  EXPECT_GT(at(contrast, 80), 0.82f);
  const auto black = with(Param::black_point, -60), white = with(Param::white_point, 60);
  EXPECT_GT(0.1f - at(black, 10), std::fabs(at(black, 90) - 0.9f));
  EXPECT_GT(at(white, 90) - 0.9f, std::fabs(at(white, 10) - 0.1f));
}

}  // namespace
}  // namespace tsukimi
