// SPDX-License-Identifier: GPL-3.0-or-later
// What the sensor did not hold: hue and light of clipped skies against the scene's own.
#include <gtest/gtest.h>

#include <cmath>
#include <map>
#include <numbers>
#include <random>

#include "develop/demosaic.h"
#include "develop/develop.h"
#include "develop/oklab.h"
#include "develop/white_balance.h"
#include "photographs.h"
#include "sim/camera.h"
#include "sim/light_mosaic.h"

namespace tsukimi {
namespace {

// What a sensor sees of a scene in balanced camera RGB, with shot noise of that share at clipping.
Mosaic seen(const Image& scene, const WhiteBalance& wb, float share = 0, unsigned seed = 7) {
  std::mt19937 random(seed);
  std::normal_distribution<float> noise;
  Plane light(scene.width, scene.height);
  for (int y = 0; y < light.height; ++y)
    for (int x = 0; x < light.width; ++x) {
      const int c = (y & 1) + (x & 1);
      const float v = scene.planes[c].at(x, y) / static_cast<float>(wb.gains[c]);
      light.at(x, y) = std::min(1.0f, v + share * std::sqrt(std::max(v, 0.0f)) * noise(random));
    }
  return sim::mosaic_of(light, {0, 1, 1, 2});
}

// A sunset that grows past what the sensor holds, from left to right, as a mosaic.
struct Sunset {
  SensorFrame frame;
  Image truth;  // balanced camera RGB, without a limit
};

Sunset sunset(const WhiteBalance& wb, const Vec3& colour) {
  constexpr int w = 600, h = 64;
  Sunset out{{}, Image(w, h)};
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      for (int c = 0; c < 3; ++c)
        out.truth.planes[c].at(x, y) = static_cast<float>(0.3 * std::exp2(4.0 * x / w) * colour[c]);
  out.frame.mosaic = seen(out.truth, wb);
  out.frame.colour = sim::camera_colour();
  return out;
}

// OkLab hue of balanced camera RGB, in degrees, and its chroma.
std::pair<double, double> hue_of(const Vec3& camera, const WhiteBalance& wb) {
  Image one(1, 1);
  for (int r = 0; r < 3; ++r) {
    double v = 0;
    for (int c = 0; c < 3; ++c) v += wb.to_working(r, c) * camera[c];
    one.planes[r].at(0, 0) = static_cast<float>(v);
  }
  to_oklab({one.planes[0].row(0), one.planes[1].row(0), one.planes[2].row(0), 1});
  const double a = one.planes[1].at(0, 0), b = one.planes[2].at(0, 0);
  return {std::atan2(b, a) * 180 / std::numbers::pi, std::hypot(a, b)};
}

// What was done before: a clipped channel at the mean of the others, soft from 0.9 of clipping on.
Vec3 mean_of_others(Vec3 v, const WhiteBalance& wb) {
  double w[3], all = 1;
  for (int c = 0; c < 3; ++c) {
    const double t = std::clamp((v[c] / wb.gains[c] - 0.9) / 0.085, 0.0, 1.0);
    w[c] = t * t * (3 - 2 * t);
    all *= w[c];
  }
  const double top = *std::max_element(wb.gains.begin(), wb.gains.end());
  auto raise = [](double x, double s, double others) { return x + s * std::max(others - x, 0.0); };
  const double r = raise(v[0], w[0], (v[1] + v[2]) / 2), b = raise(v[2], w[2], (v[0] + v[1]) / 2),
               g = raise(v[1], w[1], (r + b) / 2);
  return {r + all * (top - r), g + all * (top - g), b + all * (top - b)};
}

// Skies that grow past clipping, in balanced camera RGB.
const std::map<std::string, Vec3> kSkies{{"blue", {0.45, 0.8, 1.3}},
                                         {"orange", {1.5, 0.85, 0.4}},
                                         {"pink", {1.25, 0.8, 0.95}},
                                         {"grey", {1, 1, 1}}};

TEST(Clipped, HueStaysLightGrowsAndNothingShowsWhereItBegins) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  for (const auto& [name, colour] : kSkies) {
    const auto s = sunset(wb, colour);
    const Image kept = demosaic(s.frame.mosaic, {wb.gains, true}),
                raw = demosaic(s.frame.mosaic, {wb.gains, false});
    double least = 0, error = 0, before = 0, steepest = 0, last_luma = 0;
    for (int x = 10; x < 590; ++x) {
      Vec3 is, was, truth;
      int clipped = 0;
      double most = 0;
      for (int c = 0; c < 3; ++c) {
        is[c] = kept.planes[c].at(x, 32);
        was[c] = raw.planes[c].at(x, 32);
        truth[c] = s.truth.planes[c].at(x, 32);
        clipped += truth[c] >= wb.gains[c];
        most = std::max(most, truth[c] / wb.gains[c]);
      }
      if (most < 0.975) {
        for (int c = 0; c < 3; ++c) EXPECT_EQ(is[c], was[c]) << name << " at " << x;
      }
      if (clipped == 1) {
        const auto [hue, chroma] = hue_of(is, wb);
        const auto [true_hue, true_chroma] = hue_of(truth, wb);
        const double apart = std::remainder(hue - true_hue, 360);
        EXPECT_TRUE(true_chroma < 0.02 || std::fabs(apart) < 3)
            << name << " at " << x << ": " << apart;
      }
      const double luma = kLumaR * is[0] + kLumaG * is[1] + kLumaB * is[2];
      EXPECT_GE(luma, least * (1 - 1e-3)) << name << " at " << x;
      least = std::max(least, luma);
      // A contour is a step: light grows by 0.47 per cent a pixel.
      if (x > 10) steepest = std::max(steepest, luma / last_luma);
      last_luma = luma;
      const Vec3 old = mean_of_others(was, wb);
      if (clipped == 1 || clipped == 2)  // beyond that nobody knows
        for (int c = 0; c < 3; ++c) {
          error += std::fabs(is[c] - truth[c]);
          before += std::fabs(old[c] - truth[c]);
        }
    }
    EXPECT_LT(steepest, 1.02) << name;
    EXPECT_LE(error, 0.3 * before + 1e-9) << name;
    // When all is clipped it is white.
    if (name == "blue") continue;  // its red never clips here
    EXPECT_NEAR(kept.planes[0].at(585, 32), kept.planes[1].at(585, 32), 0.02) << name;
    EXPECT_NEAR(kept.planes[2].at(585, 32), kept.planes[1].at(585, 32), 0.02) << name;
    EXPECT_GT(kept.planes[1].at(585, 32), 1.5) << name;
  }
}

// The live picture knows of highlights what the export does.
TEST(Clipped, ProxiesDoTheSame) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  for (const auto& [name, colour] : kSkies) {
    auto s = sunset(wb, colour);
    PictureRecipe settings;
    settings.look = neutral_look(5600, 0);
    settings.look[Param::exposure] = -2;
    settings.placement.size = {300, 32};
    const Image live = develop_proxy(make_proxy(s.frame), settings);
    const Image full = develop_frame(std::move(s.frame), settings);
    for (int c = 0; c < 3; ++c)
      for (int x = 8; x < 292; ++x)
        EXPECT_NEAR(live.planes[c].at(x, 16), full.planes[c].at(x, 16), 0.03) << name << " " << x;
  }
}

TEST(Clipped, WhatDidNotClipStaysAsItIs) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  const auto s = sunset(wb, {0.1, 0.1, 0.1});
  const Image kept = demosaic(s.frame.mosaic, {wb.gains, true}),
              raw = demosaic(s.frame.mosaic, {wb.gains, false});
  for (int c = 0; c < 3; ++c) EXPECT_EQ(kept.planes[c].data, raw.planes[c].data);
}

enum class Ridge { straight, wavy };

// A sky that grows past clipping down to a ridge, whose land has a colour and a texture of its own.
Image evening(const Vec3& sky, Ridge ridge, const Vec3& land, const Image* texture) {
  constexpr int w = 900, h = 600, fine = 4;
  Image out(w, h);
  auto line = [&](double x) {
    if (ridge == Ridge::straight) return 0.7 * h;
    return 0.7 * h + 40 * std::sin(x / 71) + 17 * std::sin(x / 13 + 1) + 4 * std::sin(x / 3.1);
  };
  for (int x = 0; x < w; ++x) {
    double lines[fine];
    for (int i = 0; i < fine; ++i) lines[i] = line(x + (i + 0.5) / fine);
    for (int y = 0; y < h; ++y) {
      int below = 0;
      for (int i = 0; i < fine * fine; ++i) below += y + (i / fine + 0.5) / fine > lines[i % fine];
      const double share = static_cast<double>(below) / (fine * fine),
                   level = 0.3 * std::exp2(3.2 * y / (0.7 * h));
      for (int c = 0; c < 3; ++c) {
        const double grain = texture ? texture->planes[c].at(x, y)
                                     : 0.8 + 0.2 * std::sin(x / 5.0 + c) * std::sin(y / 7.0) *
                                                 std::sin((x + y) / 2.3);
        out.planes[c].at(x, y) =
            static_cast<float>(share * land[c] * grain + (1 - share) * level * sky[c]);
      }
    }
  }
  return out;
}

struct HueError {
  double median = 0, p90 = 0;
  std::size_t places = 0;
};

// Where a channel clipped and not yet all did: how far the hue is from the scene's.
HueError hue_error(const Image& scene, const WhiteBalance& wb) {
  const Image is = demosaic(seen(scene, wb, 0.01f), {wb.gains, true});
  std::vector<double> apart;
  for (int y = 4; y < scene.height - 4; y += 2)
    for (int x = 4; x < scene.width - 4; x += 3) {
      Vec3 found, truth;
      double most = 0, least = 1e9;
      for (int c = 0; c < 3; ++c) {
        found[c] = is.planes[c].at(x, y);
        truth[c] = scene.planes[c].at(x, y);
        most = std::max(most, truth[c] / wb.gains[c]);
        least = std::min(least, truth[c] / wb.gains[c]);
      }
      if (most < 1 || least > 0.85) continue;
      const auto [hue, chroma] = hue_of(found, wb);
      const auto [true_hue, true_chroma] = hue_of(truth, wb);
      if (true_chroma < 0.03) continue;
      apart.push_back(std::fabs(std::remainder(hue - true_hue, 360)));
    }
  if (apart.empty()) return {};
  std::sort(apart.begin(), apart.end());
  return {apart[apart.size() / 2], apart[apart.size() * 9 / 10], apart.size()};
}

Image photo(const std::string& name) {
  auto frame = read_frame(test::photograph(name));
  if (!frame) throw std::runtime_error(frame.error().message);
  return std::move(frame->rgb);
}

TEST(Clipped, ASkyKeepsItsHueOverEveryLand) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  const Image leaves = photo("FallenLeaf"), path = photo("Path");
  const std::map<std::string, Vec3> lands{{"dark", {0.05, 0.07, 0.03}},
                                          {"warm and bright", {0.95, 0.6, 0.3}},
                                          {"green", {0.3, 0.6, 0.2}}};
  const std::map<std::string, const Image*> textures{
      {"even", nullptr}, {"leaves", &leaves}, {"path", &path}};
  for (const auto& [sky_name, sky] : kSkies)
    for (const auto ridge : {Ridge::straight, Ridge::wavy})
      for (const auto& [land_name, land] : lands)
        for (const auto& [texture_name, texture] : textures) {
          if (sky_name == "grey") continue;
          const auto e = hue_error(evening(sky, ridge, land, texture), wb);
          EXPECT_GT(e.places, 1000u);
          EXPECT_LT(e.median, 1) << sky_name << " over " << land_name << ", " << texture_name;
          EXPECT_LT(e.p90, 5) << sky_name << " over " << land_name << ", " << texture_name;
        }
}

// What is found of a sky from frame to frame, as noise, wobble and light change a little: its mean
// light, colour by colour, goes with the scene's.
TEST(Clipped, ASkyDoesNotFlicker) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  const Image scene = evening(kSkies.at("blue"), Ridge::wavy, {0.3, 0.6, 0.2}, nullptr);
  std::vector<Vec3> means;
  for (int k = 0; k < 8; ++k) {
    Image now(840, 560);
    const float light = 1 + 0.004f * static_cast<float>(k);
    for (int c = 0; c < 3; ++c)
      for (int y = 0; y < now.height; ++y)
        for (int x = 0; x < now.width; ++x)
          now.planes[c].at(x, y) =
              light * scene.planes[c].at(x + k * 3 % 5 + 20, y + k * 2 % 5 + 20);
    const Image is = demosaic(seen(now, wb, 0.01f, static_cast<unsigned>(k)), {wb.gains, true});
    Vec3 ratio{};
    for (int c = 0; c < 3; ++c) {
      double found = 0, truth = 0;
      for (int y = 230; y < 310; ++y)  // clipped in two channels
        for (int x = 20; x < 820; ++x)
          found += is.planes[c].at(x, y), truth += now.planes[c].at(x, y);
      ratio[c] = found / truth;
    }
    means.push_back(ratio);
  }
  for (int c = 0; c < 3; ++c)
    for (std::size_t k = 1; k < means.size(); ++k) {
      EXPECT_NEAR(means[k][c] / means[k - 1][c], 1, 0.002) << c << " " << k;
    }
}

// The live picture takes the same colours at a ridge.
TEST(Clipped, ProxiesDoTheSameAtARidge) {
  const auto wb = white_balance(sim::camera_colour(), 5600, 0);
  SensorFrame frame;
  frame.mosaic = seen(evening(kSkies.at("blue"), Ridge::wavy, {0.3, 0.6, 0.2}, nullptr), wb);
  frame.colour = sim::camera_colour();
  PictureRecipe settings;
  settings.look = neutral_look(5600, 0);
  settings.look[Param::exposure] = -2;
  settings.placement.size = {450, 300};
  const Image live = develop_proxy(make_proxy(frame), settings);
  const Image full = develop_frame(std::move(frame), settings);
  double apart = 0;
  int count = 0;
  for (int c = 0; c < 3; ++c)
    for (int y = 120; y < 175; ++y)  // the brightest sky above the ridge
      for (int x = 4; x < 446; ++x, ++count)
        apart += std::fabs(live.planes[c].at(x, y) - full.planes[c].at(x, y));
  EXPECT_LT(apart / count, 0.004);
}

}  // namespace
}  // namespace tsukimi
