// SPDX-License-Identifier: GPL-3.0-or-later
// Range: what it brings into the picture, and what it leaves alone.
#include "develop/wide_range.h"

#include <gtest/gtest.h>

#include <numbers>

#include "camera/sensor_frame.h"
#include "develop/develop.h"
#include "framing/geometry.h"
#include "photographs.h"
#include "sim/noise.h"

namespace tsukimi {
namespace {

constexpr int kWide = 960, kHigh = 640, kPatch = 6;
constexpr double kGrey = 0.18;

Image ranged(Image image, double range) {
  PictureRecipe r;
  r.look = neutral_look(5600, 0);
  r.look[Param::range] = range;
  apply_look(image, r, 1);
  return image;
}

// A bright half beside a dark one, `apart` stops from each other, both with patches of texture.
Image edge(double apart, double texture, std::uint32_t seed) {
  Image out(kWide, kHigh);
  for (int y = 0; y < kHigh; ++y)
    for (int x = 0; x < kWide; ++x) {
      const auto px = static_cast<std::uint32_t>(x / kPatch),
                 py = static_cast<std::uint32_t>(y / kPatch);
      const double stops =
          (x < kWide / 2 ? 0.35 : -0.65) * apart + texture * sim::normal_from(px, py, seed);
      for (auto& plane : out.planes) plane.at(x, y) = static_cast<float>(kGrey * std::exp2(stops));
    }
  return out;
}

double stops_of(const Image& image, int x, int y) {
  return std::log2(std::max(image.planes[1].at(x, y), 1e-9f) / kGrey);
}

// Mean gain of each column in stops, far from the borders.
std::vector<double> gains(const Image& before, const Image& after) {
  std::vector<double> out(kWide);
  for (int x = 0; x < kWide; ++x) {
    for (int y = 60; y < kHigh - 60; ++y) out[x] += stops_of(after, x, y) - stops_of(before, x, y);
    out[x] /= kHigh - 120;
  }
  return out;
}

TEST(WideRange, NoHaloStandsBesideAnEdge) {
  for (const double apart : {0.7, 1.5, 3.0, 6.0, 10.0})
    for (const double texture : {0.0, 0.2}) {
      const Image before = edge(apart, texture, 71);
      const auto gain = gains(before, ranged(before, 100));
      double far[2] = {0, 0};  // on either side
      for (int x = 60; x < 160; ++x) far[0] += gain[x] / 100, far[1] += gain[kWide - 1 - x] / 100;
      for (int x = 60; x < kWide - 60; ++x) {
        const bool right = x >= kWide / 2;
        if (std::abs(x - kWide / 2 + !right) <= 5) continue;
        EXPECT_NEAR(gain[x], far[right], 0.1)
            << apart << " stops, texture " << texture << ", column " << x;
      }
    }
}

// 16 stops end between black and white, in their order, and middle grey stays.
TEST(WideRange, BringsSixteenStopsIntoThePicture) {
  double before = -100;
  for (double stops = -11.5; stops <= 4.5; stops += 0.5) {
    Image flat(64, 48);
    for (auto& plane : flat.planes)
      std::ranges::fill(plane.data, static_cast<float>(kGrey * std::exp2(stops)));
    const double now = stops_of(ranged(flat, 100), 32, 24);
    EXPECT_GT(now, before);
    before = now;
    EXPECT_GT(now, -6.2) << stops;
    EXPECT_LT(now, 2.47) << stops << ": white";
    if (stops == 0) {
      EXPECT_NEAR(now, 0, 0.01);
    }
  }
}

// Texture within a dark and a bright half keeps its contrast, where a curve would take half of it.
TEST(WideRange, DetailKeepsItsContrast) {
  const Image before = edge(8, 0.2, 72), after = ranged(before, 100);
  for (const int middle : {kWide / 4, 3 * kWide / 4}) {
    double was = 0, is = 0, mean_was = 0, mean_is = 0;
    int n = 0;
    for (int pass = 0; pass < 2; ++pass) {
      for (int y = 100; y < kHigh - 100; y += kPatch)
        for (int x = middle - 100; x < middle + 100; x += kPatch) {
          const double a = stops_of(before, x, y), b = stops_of(after, x, y);
          if (pass == 0)
            mean_was += a, mean_is += b, ++n;
          else
            was += (a - mean_was / n) * (a - mean_was / n),
                is += (b - mean_is / n) * (b - mean_is / n);
        }
    }
    EXPECT_GT(std::sqrt(is / was), 0.85);
    EXPECT_LT(std::sqrt(is / was), 1.05);
  }
}

// A frame's own pixels steer nothing far away: a lamp that comes on in a corner changes the rest by
// nothing.
TEST(WideRange, ALampInACornerChangesNothingElsewhere) {
  const Image dark = edge(5, 0.15, 73);
  Image lit = dark;
  for (int y = 20; y < 60; ++y)
    for (int x = 20; x < 60; ++x)
      for (auto& plane : lit.planes) plane.at(x, y) = 4;
  const Image a = ranged(dark, 80), b = ranged(lit, 80);
  for (int y = 320; y < kHigh; y += 7)
    for (int x = 400; x < kWide; x += 7) EXPECT_EQ(a.planes[0].at(x, y), b.planes[0].at(x, y));
}

// On a photograph whose range was doubled: of the parts that clip at either end few are left, and
// hue stays.
TEST(WideRange, AWidePhotographFits) {
  const auto photo = read_frame(test::photograph("EveningGlow"));
  ASSERT_TRUE(photo);
  Image wide = resample(photo->rgb, {}, {480, 300});
  for (std::size_t i = 0; i < wide.planes[0].data.size(); ++i) {
    float *r = &wide.planes[0].data[i], *g = &wide.planes[1].data[i], *b = &wide.planes[2].data[i];
    const double light = std::max(0.26 * *r + 0.68 * *g + 0.06 * *b, 1e-4);
    const auto gain = static_cast<float>(std::exp2(1.2 * std::log2(light / kGrey)));
    *r *= gain, *g *= gain, *b *= gain;
  }
  auto outside = [](const Image& image) {
    int out = 0;
    for (const float v : image.planes[1].data) out += v > 1 || v < 0.18 / 128;
    return static_cast<double>(out) / static_cast<double>(image.planes[1].data.size());
  };
  const Image after = ranged(wide, 100);
  EXPECT_GT(outside(wide), 0.2);
  EXPECT_LT(outside(after), 0.3 * outside(wide));
  for (std::size_t i = 0; i < wide.planes[0].data.size(); i += 37)
    if (wide.planes[1].data[i] > 1e-4f) {
      const float was = wide.planes[0].data[i] / wide.planes[1].data[i];
      EXPECT_NEAR(after.planes[0].data[i] / after.planes[1].data[i], was, 1e-4 * was);
    }
}

}  // namespace
}  // namespace tsukimi
