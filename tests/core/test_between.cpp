// SPDX-License-Identifier: GPL-3.0-or-later
// Frames made between two, against the true moment: what is followed, and what is left alone.
#include <gtest/gtest.h>

#include <cmath>

#include "core/pictures.h"
#include "motion/moving_objects.h"
#include "motion/optical_flow.h"
#include "sim/scene.h"
#include "sim/vessels.h"
#include "support.h"

using namespace tsukimi;

namespace {

constexpr Size kSize{720, 480};
constexpr int kFrames = 121;  // of an evening

// What a camera takes that is set for the first: its mean is a tenth of white.
std::vector<Image> harbour(const std::vector<int>& frames, std::uint32_t seed,
                           double interval = 10) {
  const sim::HarbourScene scene(kSize, seed);
  std::vector<Image> out;
  float gain = 0;
  for (const int frame : frames) {
    Image image = scene.render(static_cast<double>(frame) / (kFrames - 1), frame * interval);
    if (out.empty()) {
      double sum = 0;
      for (const float v : image.planes[1].data) sum += v;
      gain = static_cast<float>(0.1 * static_cast<double>(image.planes[1].data.size()) / sum);
    }
    for (auto& plane : image.planes)
      for (float& v : plane.data) v *= gain;
    out.push_back(std::move(image));
  }
  return out;
}

const sim::Vessel& ferry_of(const std::vector<sim::Vessel>& vessels) {
  return *std::ranges::find_if(vessels, &sim::Vessel::ferry);
}

sim::Vessel ferry_at(double frame, std::uint32_t seed) {
  return ferry_of(sim::vessels_at(frame / (kFrames - 1), frame * 10, seed));
}

float even(float light) { return std::sqrt(std::clamp(light, 0.0f, 1.0f)); }

cv::Mat colours(const Image& image) {
  cv::Mat out(image.height, image.width, CV_32FC3);
  for (int y = 0; y < image.height; ++y)
    for (int x = 0; x < image.width; ++x)
      for (int c = 0; c < 3; ++c) out.at<cv::Vec3f>(y, x)[c] = even(image.planes[c].at(x, y));
  return out;
}

// Decibels by which what was made is nearer to the truth than dissolving, in a part of the picture.
struct Window {
  int x0, y0, x1, y1;
};
double better_than_dissolving(const Image& a, const Image& truth, const Image& b, const Image& made,
                              const Window& part) {
  constexpr double kUnseen = 1e-6;  // mean square: 60 dB
  double off = 0, dissolved = 0, unseen = 0;
  for (int y = std::max(part.y0, 0); y < std::min(part.y1, truth.height); ++y)
    for (int x = std::max(part.x0, 0); x < std::min(part.x1, truth.width); ++x)
      for (int c = 0; c < 3; ++c) {
        const auto at = [&](const Image& i) { return i.planes[c].at(x, y); };
        const double t = even(at(truth));
        off += std::pow(even(at(made)) - t, 2);
        unseen += kUnseen;
        dissolved += std::pow(even(0.5f * (at(a) + at(b))) - t, 2);
      }
  return 10 * std::log10((dissolved + unseen) / (off + unseen));
}

}  // namespace

TEST(Between, FollowsWhatMoves) {
  // A soft blob on a textured ground; the ground stands, the blob goes 24 px to the right.
  auto scene = [](double x0) {
    Image image(320, 200);
    for (int y = 0; y < 200; ++y)
      for (int x = 0; x < 320; ++x) {
        const double ground = 0.2 + 0.06 * std::sin(x * 0.37) * std::cos(y * 0.29 + 0.11 * x);
        const double d = std::hypot(x - x0, y - 100.0);
        const double blob = (0.5 + 0.1 * std::sin((x - x0) * 0.5) * std::sin(y * 0.45)) /
                            (1 + std::exp((d - 26) / 1.5));
        for (auto& p : image.planes) p.at(x, y) = static_cast<float>(ground + blob);
      }
    return image;
  };
  const Image a = scene(140), b = scene(164), truth = scene(152), made = in_between(a, b, 0.5);
  Image faded(320, 200);
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < faded.planes[c].data.size(); ++i)
      faded.planes[c].data[i] = 0.5f * (a.planes[c].data[i] + b.planes[c].data[i]);
  EXPECT_GT(test::psnr(made, truth), test::psnr(faded, truth) + 4);
  EXPECT_GT(test::psnr(made, truth), 30);
}

TEST(Between, TheEndsAreThePicturesThemselves) {
  Image a(64, 48), b(64, 48);
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < a.planes[c].data.size(); ++i) {
      a.planes[c].data[i] = 0.3f + 0.1f * std::sin(0.2f * static_cast<float>(i));
      b.planes[c].data[i] = a.planes[c].data[i] * 1.5f;
    }
  EXPECT_GT(test::psnr(in_between(a, b, 0), a), 70);
  EXPECT_GT(test::psnr(in_between(a, b, 1), b), 70);
  // Light that only grows is halfway in the middle.
  const Image half = in_between(a, b, 0.5);
  EXPECT_NEAR(half.planes[1].at(30, 20) / a.planes[1].at(30, 20), 1.25, 0.02);
}

// Seeds that were not looked at while writing.
TEST(Between, AFerryIsTwoDecibelsNearerTheTruthThanDissolved) {
  for (const auto& [seed, frame] :
       {std::pair{931u, 24}, std::pair{932u, 33}, std::pair{933u, 88}}) {
    const auto pictures = harbour({frame - 1, frame, frame + 1}, seed);
    const Image &a = pictures[0], &truth = pictures[1], &b = pictures[2];
    const Image made = in_between(a, b, 0.5);
    const sim::Vessel from = ferry_at(frame - 1, seed), to = ferry_at(frame + 1, seed);
    const float h = kSize.height, half = sim::vessel_half_width(from);
    const Window ferry{static_cast<int>((std::min(from.x, to.x) - half) * h),
                       static_cast<int>((from.waterline - sim::vessel_height(from)) * h),
                       static_cast<int>((std::max(from.x, to.x) + half) * h),
                       static_cast<int>(from.waterline * h)};
    EXPECT_GT(better_than_dissolving(a, truth, b, made, ferry), 2) << seed << " " << frame;
    // Where nothing but water and light moves it is dissolved.
    EXPECT_GT(better_than_dissolving(a, truth, b, made, {0, 0, 720, 200}), -0.2) << seed;
    EXPECT_GT(better_than_dissolving(a, truth, b, made, {0, 330, 720, 480}), -0.2) << seed;
  }
}

TEST(Between, AShipIsFoundWithItsWayAndItsOutline) {
  const std::uint32_t seed = 934;
  const int frame = 26;
  const auto pictures = harbour({frame - 1, frame + 1}, seed);
  const cv::Mat a = colours(pictures[0]), b = colours(pictures[1]);
  const auto things = find_moving_objects(a, b, b);
  ASSERT_EQ(things.size(), 1u);
  const sim::Vessel from = ferry_at(frame - 1, seed), to = ferry_at(frame + 1, seed);
  EXPECT_NEAR(things[0].way.x, (to.x - from.x) * kSize.height, 0.5);
  EXPECT_NEAR(things[0].way.y, 0, 0.5);
  // Its outline, place by place, from the painter of the vessel itself.
  double ship = 0, found = 0, both = 0;
  for (int y = 0; y < kSize.height; ++y)
    for (int x = 0; x < kSize.width; ++x) {
      const float sx = (static_cast<float>(x) + 0.5f) / kSize.height,
                  sy = (static_cast<float>(y) + 0.5f) / kSize.height;
      sim::Rgb light;
      const bool is = sy < from.waterline &&
                      std::fabs(sx - from.x) < sim::vessel_half_width(from) &&
                      sim::paint_vessel(from, sx, sy, light).cover > 0;
      const bool said = things[0].at(static_cast<float>(x), static_cast<float>(y), 0) > 0.5f;
      ship += is, found += said, both += is && said;
    }
  EXPECT_GT(both, 0.9 * ship);
  EXPECT_GT(both, 0.85 * found);
}

TEST(Between, CloudsAreFollowedThoughTheEveningGrowsDark) {
  // A minute on either side: clouds go up to 25 pixels, and the light fades. They are no things.
  const std::uint32_t seed = 935;
  for (const int frame : {17, 28}) {
    const auto pictures = harbour({frame - 3, frame, frame + 3}, seed, 20);
    const Image &a = pictures[0], &b = pictures[2];
    EXPECT_GT(better_than_dissolving(a, pictures[1], b, in_between(a, b, 0.5), {0, 0, 720, 90}),
              1.5)
        << frame;
  }
}

TEST(Between, WhatComesInOrLeavesOverTheBorderIsThere) {
  // A block with windows enters from the right; the ground behind it stands.
  auto scene = [](double left) {
    Image image(320, 200);
    for (int y = 0; y < 200; ++y)
      for (int x = 0; x < 320; ++x) {
        const double ground = 0.2 + 0.05 * std::sin(x * 0.37) * std::cos(y * 0.29 + 0.11 * x);
        const double u = x - left;
        const bool block = u > 0 && u < 160 && y > 70 && y < 110;
        const double inside = 0.5 + 0.2 * std::sin(0.23 * u) * std::sin(0.31 * y + 0.05 * u);
        for (auto& p : image.planes) p.at(x, y) = static_cast<float>(block ? inside : ground);
      }
    return image;
  };
  const Image a = scene(220), b = scene(190), truth = scene(205), made = in_between(a, b, 0.5);
  EXPECT_GT(better_than_dissolving(a, truth, b, made, {190, 70, 320, 110}), 6);
  EXPECT_GT(better_than_dissolving(a, truth, b, made, {304, 75, 320, 105}), 14);
  // And what leaves.
  const Image left = in_between(b, a, 0.5);
  EXPECT_GT(better_than_dissolving(b, truth, a, left, {304, 75, 320, 105}), 14);
}
