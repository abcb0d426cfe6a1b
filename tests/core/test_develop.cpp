// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <numbers>
#include <random>

#include "base/parallel.h"
#include "core/pictures.h"
#include "develop/demosaic.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "develop/oklab.h"
#include "develop/white_balance.h"
#include "sim/camera.h"
#include "sim/light_mosaic.h"
#include "sim/scene.h"

namespace tsukimi {
namespace {

Image filled(int w, int h, float r, float g, float b) {
  Image image(w, h);
  const float v[3] = {r, g, b};
  for (int c = 0; c < 3; ++c)
    std::fill(image.planes[c].data.begin(), image.planes[c].data.end(), v[c]);
  return image;
}

Plane to_mosaic(const Image& image, const std::array<std::uint8_t, 4>& cfa) {
  Plane m(image.width, image.height);
  for (int y = 0; y < m.height; ++y)
    for (int x = 0; x < m.width; ++x)
      m.at(x, y) = image.planes[cfa[(y & 1) * 2 + (x & 1)]].at(x, y);
  return m;
}

double cpsnr(const Image& a, const Image& b, int border) {
  double sum = 0;
  long n = 0;
  for (int c = 0; c < 3; ++c)
    for (int y = border; y < a.height - border; ++y)
      for (int x = border; x < a.width - border; ++x) {
        const double d =
            std::min(1.0f, a.planes[c].at(x, y)) - std::min(1.0f, b.planes[c].at(x, y));
        sum += d * d;
        ++n;
      }
  return -10 * std::log10(sum / static_cast<double>(n));
}

Image bilinear_demosaic(const Plane& m, const std::array<std::uint8_t, 4>& cfa) {
  Image out(m.width, m.height);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < m.height; ++y)
      for (int x = 0; x < m.width; ++x) {
        float sum = 0;
        int n = 0;
        if (cfa[(y & 1) * 2 + (x & 1)] == c) {
          sum = m.at(x, y), n = 1;
        } else {
          for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx) {
              const int px = x + dx, py = y + dy;
              if (px < 0 || py < 0 || px >= m.width || py >= m.height) continue;
              if (cfa[(py & 1) * 2 + (px & 1)] == c) sum += m.at(px, py), ++n;
            }
        }
        out.planes[c].at(x, y) = sum / static_cast<float>(n);
      }
  return out;
}

const std::array<std::uint8_t, 4> kPhases[] = {
    {0, 1, 1, 2}, {2, 1, 1, 0}, {1, 0, 2, 1}, {1, 2, 0, 1}};

TEST(Demosaic, FlatColourIsExactInEveryPhase) {
  for (const auto& cfa : kPhases) {
    const Image out =
        demosaic(sim::mosaic_of(to_mosaic(filled(70, 90, 0.2f, 0.5f, 0.3f), cfa), cfa));
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) {
        ASSERT_NEAR(out.planes[0].at(x, y), 0.2f, 1e-6);
        ASSERT_NEAR(out.planes[1].at(x, y), 0.5f, 1e-6);
        ASSERT_NEAR(out.planes[2].at(x, y), 0.3f, 1e-6);
      }
  }
}

TEST(Demosaic, FarBetterThanBilinearOnTheScene) {
  const sim::HarbourScene scene({480, 320}, 5);
  Image truth = scene.render(0.2, 700);
  for (auto& p : truth.planes)
    for (float& v : p.data) v = std::min(v, 1.0f);
  for (const auto& cfa : kPhases) {
    const Plane m = to_mosaic(truth, cfa);
    const double ours = cpsnr(demosaic(sim::mosaic_of(m, cfa)), truth, 8),
                 plain = cpsnr(bilinear_demosaic(m, cfa), truth, 8);
    EXPECT_GT(ours, plain + 2.5);
  }
}

TEST(Demosaic, SameBitsForAnyNumberOfThreads) {
  const sim::HarbourScene scene({200, 260}, 5);
  const Plane m = to_mosaic(scene.render(0.4, 0), kPhases[0]);
  Image one, two;
  {
    const ThreadLimit limit(1);
    one = demosaic(sim::mosaic_of(m, kPhases[0]));
  }
  {
    const ThreadLimit limit(2);
    two = demosaic(sim::mosaic_of(m, kPhases[0]));
  }
  for (int c = 0; c < 3; ++c) EXPECT_EQ(one.planes[c].data, two.planes[c].data);
}

// Dark water with glints of a few pixels, as the sensor sees it.
SensorFrame glints(float noise) {
  std::mt19937 random(4);
  std::normal_distribution<float> grain;
  std::uniform_real_distribution<float> any(0, 1);
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  Image scene = filled(300, 200, 0.015f, 0.015f, 0.015f);
  for (int k = 0; k < 400; ++k) {
    const int x = 1 + static_cast<int>(any(random) * 294),
              y = 1 + static_cast<int>(any(random) * 197),
              wide = 1 + static_cast<int>(any(random) * 3);
    const float light = 0.3f + 3 * any(random);
    // As a lens shows them.
    constexpr float kSpread[3] = {0.25f, 0.5f, 0.25f};
    for (auto& p : scene.planes)
      for (int i = 0; i < wide; ++i)
        for (int j = 0; j < 9; ++j)
          p.at(x + i + j % 3 - 1, y + j / 3 - 1) += light * kSpread[j % 3] * kSpread[j / 3];
  }
  Plane m = to_mosaic(scene, kPhases[0]);
  for (int y = 0; y < m.height; ++y)
    for (int x = 0; x < m.width; ++x) {
      const double gain = wb.gains[kPhases[0][Mosaic::place(x, y)]];
      m.at(x, y) = std::min(m.at(x, y) / static_cast<float>(gain) + noise * grain(random), 1.0f);
    }
  SensorFrame out;
  out.mosaic = sim::mosaic_of(m, kPhases[0]);
  out.colour = sim::camera_colour();
  return out;
}

double darkest(const Image& image) {
  double least = 1;
  for (const auto& p : image.planes)
    for (float v : p.data) least = std::min<double>(least, v);
  return least;
}

// Interpolation overshoots beside what is bright; light below black is nobody's.
TEST(Demosaic, NoLightBelowBlackBesideGlints) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  EXPECT_GE(darkest(demosaic(glints(0).mosaic, {wb.gains, true})), -1e-4);
  PictureRecipe recipe;
  recipe.look = neutral_look(5600, 0);
  for (const Size size : {Size{300, 200}, Size{180, 120}, Size{500, 334}}) {
    recipe.placement.size = size;
    for (double angle : {0.0, 3.0}) {
      recipe.placement = turned(Placement(Rect{0.05, 0.05, 0.9, 0.9}, size), angle, {300, 200});
      // What is left is colour beyond those of the working space, 0.08 here; 0.34 before.
      EXPECT_GE(darkest(develop_frame(glints(0), recipe)), -0.1) << size.width << " " << angle;
    }
  }
}

// Noise goes below black and stays there: a mean of many frames is as dark as the scene.
TEST(Demosaic, NoiseAroundBlackKeepsItsMean) {
  std::mt19937 random(4);
  std::normal_distribution<float> grain;
  Plane m(300, 200);
  for (float& v : m.data) v = 0.004f * grain(random);
  SensorFrame frame;
  frame.mosaic = sim::mosaic_of(m, kPhases[0]);
  frame.colour = sim::camera_colour();
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  const Image light = demosaic(frame.mosaic, {wb.gains, true});
  PictureRecipe recipe;
  recipe.look = neutral_look(5600, 0);
  recipe.placement.size = {420, 280};
  const Image larger = develop_frame(std::move(frame), recipe);
  for (const Image* image : {&light, &larger})
    for (const auto& p : image->planes) {
      double sum = 0;
      for (float v : p.data) sum += v;
      EXPECT_NEAR(sum / static_cast<double>(p.data.size()), 0, 0.0003);
    }
}

// The look with one value away from its default.
void adjust(Image& image, Param p, double value) {
  PictureRecipe s;
  s.look = neutral_look(5600, 0);
  s.look[p] = value;
  apply_look(image, s, 1);
}

TEST(WhiteBalance, ClippedHighlightsStayNeutral) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  Image image = filled(4, 4, 1, 1, 1);  // every channel clipped
  balance(image, wb);
  to_working_space(image, {0, 0, image.width, image.height}, wb, {-1, {}});
  EXPECT_NEAR(image.planes[0].at(1, 1), image.planes[1].at(1, 1), 1e-5);
  EXPECT_NEAR(image.planes[2].at(1, 1), image.planes[1].at(1, 1), 1e-5);
}

TEST(WhiteBalance, OneStopDoubles) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  Image a = filled(4, 4, 0.1f, 0.2f, 0.15f), b = filled(4, 4, 0.1f, 0.2f, 0.15f);
  to_working_space(a, {0, 0, a.width, a.height}, wb, {});
  to_working_space(b, {0, 0, b.width, b.height}, wb, {1, {}});
  for (int c = 0; c < 3; ++c) EXPECT_NEAR(b.planes[c].at(2, 2), 2 * a.planes[c].at(2, 2), 1e-6);
}

TEST(Contrast, KeepsBlackMiddleGreyAndWhiteAndIsMonotone) {
  for (double amount : {-100.0, -30.0, 45.0, 100.0}) {
    Image fixed(3, 1);
    const float points[3] = {0, 0.18f, 1};
    for (auto& p : fixed.planes) std::copy(points, points + 3, p.data.begin());
    adjust(fixed, Param::contrast, amount);
    for (int i = 0; i < 3; ++i) EXPECT_NEAR(fixed.planes[1].at(i, 0), points[i], 1e-5) << amount;
    Image ramp(2000, 1);
    for (auto& p : ramp.planes)
      for (int x = 0; x < 2000; ++x) p.at(x, 0) = -0.02f + 1.3f * x / 2000;
    adjust(ramp, Param::contrast, amount);
    for (int x = 1; x < 2000; ++x)
      ASSERT_GE(ramp.planes[0].at(x, 0), ramp.planes[0].at(x - 1, 0)) << amount;
  }
}

TEST(Contrast, SteepensTheMiddle) {
  Image image(2, 1);
  for (auto& p : image.planes) p.at(0, 0) = 0.12f, p.at(1, 0) = 0.25f;
  adjust(image, Param::contrast, 50);
  EXPECT_GT(image.planes[0].at(1, 0) - image.planes[0].at(0, 0), 0.13f * 1.1f);
}

TEST(Saturation, MinusHundredIsGreyAndGreyStaysGrey) {
  Image image = filled(2, 2, 0.4f, 0.1f, 0.05f);
  adjust(image, Param::saturation, -100);
  EXPECT_NEAR(image.planes[0].at(0, 0), image.planes[1].at(0, 0), 2e-4);
  EXPECT_NEAR(image.planes[2].at(0, 0), image.planes[1].at(0, 0), 2e-4);
  Image grey = filled(2, 2, 0.3f, 0.3f, 0.3f);
  adjust(grey, Param::saturation, 80);
  for (auto& p : grey.planes) EXPECT_NEAR(p.at(0, 0), 0.3f, 2e-4);
}

TEST(Saturation, MovesChromaBothWays) {
  auto spread = [](double amount) {
    Image image = filled(1, 1, 0.30f, 0.22f, 0.18f);
    adjust(image, Param::saturation, amount);
    return image.planes[0].at(0, 0) - image.planes[2].at(0, 0);
  };
  EXPECT_GT(spread(40), spread(0) * 1.25);
  EXPECT_LT(spread(-40), spread(0) * 0.75);
}

TEST(Display, WhiteBlackAndMiddle) {
  const auto e = to_srgb16(filled(3, 3, 1, 1, 1));
  EXPECT_EQ(e.data[0], 65535);
  EXPECT_EQ(to_srgb8(filled(3, 3, 1, 1, 1)).data[4], 255);
  EXPECT_EQ(to_srgb8(filled(3, 3, 0, 0, 0)).data[4], 0);
  EXPECT_NEAR(to_srgb16(filled(3, 3, 0.18f, 0.18f, 0.18f)).data[0] / 65535.0, 0.4613, 2e-4);
}

TEST(Display, OutOfGamutKeepsLuminanceOrderAndNeverWraps) {
  const auto e = to_srgb16(filled(2, 2, 0.0f, 0.9f, 0.0f));  // a green that sRGB cannot show
  EXPECT_EQ(e.data[0], 0);
  EXPECT_GT(e.data[1], e.data[2]);
  const auto bright = to_srgb16(filled(2, 2, 5, 3, 2));
  EXPECT_EQ(bright.data[0], 65535);
  EXPECT_EQ(bright.data[2], 65535);
}

TEST(Display, DitherKeepsTheMeanOfAShallowRamp) {
  // 8-bit steps of a gradient of less than three codes: the local mean must follow the ramp.
  Image ramp(640, 64);
  for (auto& p : ramp.planes)
    for (int y = 0; y < 64; ++y)
      for (int x = 0; x < 640; ++x) p.at(x, y) = 0.200f + 0.006f * x / 640;
  const auto deep = to_srgb16(ramp);
  const auto e = to_srgb8(ramp);
  for (int x0 = 0; x0 < 640; x0 += 64) {
    double mean8 = 0, mean16 = 0;
    for (int y = 0; y < 64; ++y)
      for (int x = x0; x < x0 + 64; ++x)
        mean8 += e.row(y)[3 * x] / 255.0, mean16 += deep.row(y)[3 * x] / 65535.0;
    EXPECT_NEAR(mean8 / 4096, mean16 / 4096, 0.15 / 255);
  }
}

TEST(Develop, ProxyAndFullFrameAgree) {
  const sim::HarbourScene scene({600, 400}, 9);
  sim::CameraOptions camera;
  camera.noise = camera.dust = camera.hot_pixels = false;
  sim::Shot shot;
  shot.shutter_thirds = -20;
  shot.aperture_thirds = 15;
  const auto raw = sim::expose(scene.render(0.1, 0), shot, camera);
  SensorFrame frame;
  frame.mosaic = test::mosaic_of_shot(raw);
  frame.colour = sim::camera_colour();
  PictureRecipe s;
  s.look = neutral_look(6000, 5);
  s.look[Param::contrast] = 30;
  s.look[Param::saturation] = 20;
  s.light.stops = 0.4;
  const Proxy proxy = make_proxy(frame);
  EXPECT_EQ(proxy.width, 300);
  s.placement.size = {60, 40};
  const Image small = develop_proxy(proxy, s), full = develop_frame(frame, s);
  double difference = 0;
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < small.planes[c].data.size(); ++i)
      difference += std::fabs(small.planes[c].data[i] - full.planes[c].data[i]);
  EXPECT_LT(difference / (3 * 2400), 0.012);
}

TEST(Parameters, TableIsSound) {
  for (const auto& row : kLook.rows()) {
    EXPECT_LT(row.min, row.max);
    EXPECT_GE(row.preset, row.min);
    EXPECT_LE(row.preset, row.max);
    EXPECT_EQ(find_parameter(row.name), row.id);
    EXPECT_EQ(&info(row.id), &row);  // the table stands in the order of the enum
  }
  EXPECT_FALSE(find_parameter("no_such_thing"));
}

}  // namespace
}  // namespace tsukimi
