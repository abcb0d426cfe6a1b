// SPDX-License-Identifier: GPL-3.0-or-later
// Every adjustment of the look: what it does, what it leaves alone, the same bits everywhere.
#include <gtest/gtest.h>
#include <hwy/targets.h>

#include <numbers>
#include <random>

#include "core/pictures.h"
#include "develop/demosaic.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "develop/hue_ring.h"
#include "develop/lens.h"
#include "develop/local_light.h"
#include "develop/noise.h"
#include "develop/oklab.h"
#include "develop/placing.h"
#include "develop/tone_curve.h"
#include "document/shoot/shoot.h"
#include "document/values.h"
#include "film/film.h"
#include "sim/camera.h"
#include "sim/light_mosaic.h"
#include "sim/noise.h"
#include "sim/scene.h"
#include "support.h"

namespace tsukimi {
namespace {

Image filled(int w, int h, float r, float g, float b) {
  Image image(w, h);
  const float v[3] = {r, g, b};
  for (int c = 0; c < 3; ++c)
    std::fill(image.planes[c].data.begin(), image.planes[c].data.end(), v[c]);
  return image;
}

PictureRecipe neutral() {
  PictureRecipe s;
  s.look = neutral_look(5600, 0);
  return s;
}

Image looked(Image image, std::initializer_list<std::pair<Param, double>> values) {
  PictureRecipe s = neutral();
  for (const auto& [p, v] : values) s.look[p] = v;
  apply_look(image, s, 1);
  return image;
}

// The harbour in linear Rec. 2020, exposed for the middle.
const Image& harbour() {
  static const Image image = [] {
    const Image scene = sim::HarbourScene({420, 280}, 17).render(0.35, 0);
    Image out(420, 280);
    const Mat3& m = srgb_to_rec2020();
    for (std::size_t i = 0; i < out.planes[0].data.size(); ++i)
      for (int r = 0; r < 3; ++r) {
        double v = 0;
        for (int c = 0; c < 3; ++c) v += m(r, c) * scene.planes[c].data[i];
        out.planes[r].data[i] = static_cast<float>(v * 3);
      }
    return out;
  }();
  return image;
}

Look everything() {
  Look look = neutral_look(6100, 6);
  for (const auto& row : kLook.rows())
    if (row.id != Param::temperature && row.id != Param::tint)
      look[row.id] = row.preset + 0.3 * ((row.preset < row.max ? row.max : row.min) - row.preset);
  look[Param::exposure] = 0.3;
  return look;
}

double mean(const Image& image, int c) {
  double sum = 0;
  for (float v : image.planes[c].data) sum += v;
  return sum / static_cast<double>(image.planes[c].data.size());
}

TEST(Look, AllAtDefaultChangesNotOneBit) {
  const Image same = looked(harbour(), {});
  for (int c = 0; c < 3; ++c) EXPECT_EQ(same.planes[c].data, harbour().planes[c].data);
}

TEST(Look, EveryAdjustmentOfThePictureDoesSomethingByItself) {
  for (const auto& row : kLook.rows()) {
    // Those that need another one beside them, or the sensor's or the lens's data.
    const std::string name = row.name;
    if (name.starts_with("airlight") || name.ends_with("_hue") || name.ends_with("_at") ||
        row.id == Param::split_balance || row.id == Param::sharpness_radius ||
        row.id == Param::sharpness_masking || row.id == Param::vignette_size ||
        row.id == Param::exposure || row.id == Param::temperature || row.id == Param::tint ||
        row.id == Param::hot_pixels || row.id == Param::lens_profile ||
        row.id == Param::distortion || row.id == Param::lens_vignetting ||
        row.id == Param::lateral_red || row.id == Param::lateral_blue)
      if (!name.starts_with("hue_ring") || name.ends_with("_at")) continue;
    const Image out = looked(harbour(), {{row.id, row.preset < row.max ? row.max : row.min}});
    bool same = true;
    for (int c = 0; c < 3; ++c) same &= out.planes[c].data == harbour().planes[c].data;
    EXPECT_FALSE(same) << name;
    for (const auto& p : out.planes)
      for (float v : p.data) ASSERT_TRUE(std::isfinite(v)) << name;
  }
}

TEST(Look, TheSameBitsForEveryInstructionSetAndAnyNumberOfThreads) {
  PictureRecipe s = neutral();
  s.look = everything();
  auto develop = [&] {
    Image image = harbour();
    apply_look(image, s, 2);
    return to_srgb16(resample(image, {0.1, 0.05, 0.8, 0.77}, {211, 133}));
  };
  Plane mosaic(250, 150);
  for (int i = 0; i < 250 * 150; ++i)
    mosaic.data[i] = std::fabs(std::sin(0.013f * static_cast<float>(i % 977)));
  const Encoded16 best = develop();
  const Image best_mosaic = demosaic(sim::mosaic_of(mosaic, {0, 1, 1, 2}));
  std::size_t sets = 0;
  for (std::int64_t all = hwy::SupportedTargets(); all; all &= all - 1, ++sets) {
    hwy::SetSupportedTargetsForTest(all & -all);
    hwy::GetChosenTarget().Update(hwy::SupportedTargets());
    EXPECT_EQ(develop().data, best.data) << hwy::TargetName(all & -all);
    EXPECT_EQ(demosaic(sim::mosaic_of(mosaic, {0, 1, 1, 2})).planes[0].data,
              best_mosaic.planes[0].data)
        << hwy::TargetName(all & -all);
    hwy::SetSupportedTargetsForTest(0);
  }
  hwy::GetChosenTarget().Update(hwy::SupportedTargets());
  EXPECT_GE(sets, 2u);
  for (int threads : {1, 2, 8}) {
    const ThreadLimit limit(threads);
    EXPECT_EQ(develop().data, best.data) << threads;
  }
}

// Nothing of one frame's own pixels may steer its development: a static scene whose only change is
// its noise must come out equally bright, however much is turned up.
TEST(Look, AStaticSceneDoesNotFlickerWithEverythingTurnedUp) {
  const Image scene = sim::HarbourScene({480, 320}, 23).render(0.45, 0);
  sim::CameraOptions camera;
  camera.dust = camera.hot_pixels = false;
  PictureRecipe s = neutral();
  s.look = everything();
  s.look[Param::highlights] = -100;
  s.look[Param::shadows] = s.look[Param::local_contrast] = s.look[Param::haze] = 80;
  s.placement.size = {480, 320};
  std::vector<double> bright[3];
  for (int i = 0; i < 8; ++i) {
    sim::Shot shot;
    shot.shutter_thirds = -8;
    shot.aperture_thirds = 15;
    shot.number = 100 + i;  // another noise
    const auto raw = sim::expose(scene, shot, camera);
    SensorFrame frame;
    frame.mosaic = test::mosaic_of_shot(raw);
    frame.colour = sim::camera_colour();
    const Image out = develop_frame(std::move(frame), s);
    for (int c = 0; c < 3; ++c) bright[c].push_back(mean(out, c));
  }
  for (const auto& b : bright) EXPECT_LT(test::rms(b) / b[0], 0.001);
}

// ---- light -----------------------------------------------------------------------------------

Image ramp(int n, float from, float to) {
  Image image(n, 24);
  for (auto& p : image.planes)
    for (int y = 0; y < 24; ++y)
      for (int x = 0; x < n; ++x)
        p.at(x, y) = from + (to - from) * static_cast<float>(x) / static_cast<float>(n - 1);
  return image;
}

TEST(Look, AGreyRampStaysMonotoneAndNeutral) {
  for (auto p : {Param::highlights, Param::shadows, Param::white_point, Param::black_point,
                 Param::contrast, Param::local_contrast})
    for (double v : {-100.0, 100.0}) {
      const Image out = looked(ramp(900, 0, 1), {{p, v}});
      for (int x = 1; x < 900; ++x)
        ASSERT_GE(out.planes[1].at(x, 12), out.planes[1].at(x - 1, 12) - 1e-6f)
            << info(p).name << v << " at " << x;
      for (int x = 0; x < 900; x += 50)
        ASSERT_NEAR(out.planes[0].at(x, 12), out.planes[2].at(x, 12), 1e-5f);
    }
}

TEST(Look, SixteenBitsOfARampHaveNoBands) {
  const auto out =
      to_srgb16(looked(ramp(4096, 0.05f, 0.6f),
                       {{Param::shadows, 60}, {Param::contrast, 20}, {curve_param(0, 2), 30}}));
  std::set<int> steps;
  for (int x = 1; x < 4096; ++x) steps.insert(out.row(5)[3 * x] - out.row(5)[3 * (x - 1)]);
  EXPECT_GE(*steps.begin(), 0);
  EXPECT_LE(*steps.rbegin(), 40);
}

TEST(Look, NoHaloAtADarkRidgeAgainstABrightSky) {
  // A ridge five stops darker than the sky.
  Image image(900, 600);
  for (auto& p : image.planes)
    for (int y = 0; y < 600; ++y)
      for (int x = 0; x < 900; ++x) p.at(x, y) = y > 300 + 40 * std::sin(0.01 * x) ? 0.02f : 0.64f;
  const Image out = looked(
      image, {{Param::highlights, -100}, {Param::shadows, 100}, {Param::local_contrast, 50}});
  const float far = out.planes[1].at(450, 15);
  float most = 0;
  for (int x = 50; x < 850; x += 10) {
    const int edge = static_cast<int>(300 + 40 * std::sin(0.01 * x));
    for (int y = 20; y < edge - 2; ++y)
      most = std::max(most, std::fabs(out.planes[1].at(x, y) / far - 1));
  }
  EXPECT_LT(most, 0.02);
}

TEST(Look, HighlightsAndShadowsKeepOutOfEachOthersWay) {
  auto at = [](Param p, double v, float light) {
    return looked(filled(64, 64, light, light, light), {{p, v}}).planes[1].at(32, 32) / light;
  };
  EXPECT_GT(at(Param::shadows, 100, 0.01f), 2.2);
  EXPECT_LT(at(Param::shadows, 100, 0.7f), 1.15);
  EXPECT_LT(at(Param::highlights, -100, 0.8f), 0.55);
  EXPECT_GT(at(Param::highlights, -100, 0.02f), 0.9);
}

TEST(Look, WhiteAndBlackPointMoveTheEnds) {
  auto grey = [](Param p, double v, float light) {
    return looked(filled(8, 8, light, light, light), {{p, v}}).planes[0].at(4, 4);
  };
  EXPECT_NEAR(grey(Param::white_point, 100, std::exp2(-1.35f)), 1, 1e-3);
  EXPECT_LT(grey(Param::white_point, -100, 1), 0.5);
  EXPECT_LE(grey(Param::black_point, -100, 0.0143f), 1e-4);
  EXPECT_GT(grey(Param::black_point, 100, 0), 0.008);
}

TEST(Look, ToneCurvesBendAsDrawnAndOnlyTheirChannel) {
  Look look = neutral_look(5600, 0);
  EXPECT_FALSE(ToneCurve(look, 0).changes());
  look[curve_param(2, 3)] = 50;  // point 2 in
  look[curve_param(2, 4)] = 65;  // and out
  const ToneCurve green(look, 2);
  EXPECT_NEAR(green.at(0.5), 0.65, 1e-9);
  EXPECT_NEAR(green.at(0), 0, 1e-9);
  EXPECT_NEAR(green.at(1), 1, 1e-9);
  for (double x = 0.01; x < 1; x += 0.01) EXPECT_GE(green.at(x), green.at(x - 0.01));
  const float middle = srgb_decode(0.5f);
  const Image out = looked(filled(8, 8, middle, middle, middle), {{curve_param(2, 4), 65}});
  EXPECT_NEAR(srgb_encode(out.planes[1].at(3, 3)), 0.65, 1e-3);
  EXPECT_NEAR(out.planes[0].at(3, 3), middle, 1e-4);
  // Points dragged over each other are held apart, and the curve stays a function.
  look[curve_param(0, 1)] = 90;
  look[curve_param(0, 3)] = 88;
  look[curve_param(0, 5)] = 89;
  const ToneCurve odd(look, 0);
  for (double x = 0; x <= 1; x += 0.01) EXPECT_TRUE(std::isfinite(odd.at(x)));
}

// What is judged in motion is what comes out: the live picture against the export at the same size.
TEST(Look, TheLivePictureIsTheExport) {
  sim::CameraOptions c;
  c.frames = 1;
  c.seed = 77;
  const test::SmallShoot shoot(c, {3840, 2560});
  const auto frame = read_frame(shoot.folder / "TSK_0412.dng");
  ASSERT_TRUE(frame);
  const Proxy proxy = make_proxy(*frame);
  const auto as_shot = as_shot_temperature(frame->colour);
  const std::vector<std::pair<Param, double>> everything{
      {Param::noise, 30},         {Param::colour_noise, 50},   {Param::sharpness, 40},
      {Param::contrast, 20},      {Param::local_contrast, 30}, {Param::highlights, -40},
      {Param::shadows, 30},       {Param::haze, 15},           {Param::saturation, 10},
      {Param::muted_colours, 20}, {Param::vignette, -15},      {Param::exposure, 0.4}};
  for (const bool all : {false, true}) {
    PictureRecipe s;
    s.look = neutral_look(as_shot.kelvin, as_shot.tint);
    if (all)
      for (const auto& [param, value] : everything) s.look[param] = value;
    s.placement = {crop_to_aspect({3840, 2560}, 16.0 / 9), {900, 506}};
    const Encoded8 live = to_srgb8(develop_proxy(proxy, s)),
                   full = to_srgb8(develop_frame(SensorFrame(*frame), s));
    double apart = 0, live_detail = 0, full_detail = 0;
    std::size_t n = 0;
    for (int y = 0; y < 506; ++y) {
      const auto *a = live.row(y), *b = full.row(y);
      for (int x = 3; x < 899 * 3; ++x, ++n) {
        apart += std::abs(a[x] - b[x]);
        live_detail += std::abs(2 * a[x] - a[x - 3] - a[x + 3]);
        full_detail += std::abs(2 * b[x] - b[x - 3] - b[x + 3]);
      }
    }
    EXPECT_LT(apart / static_cast<double>(n), all ? 2.5 : 1.5);
    EXPECT_NEAR(live_detail / full_detail, 1, 0.1) << all;
  }
}

// A dark ridge with teeth before a sky, all behind air that grows thicker with distance.
struct Ridge {
  Image image{1200, 800};
  std::vector<int> edge;  // of the ridge, per column
  std::array<float, 3> air{0.82f, 0.86f, 0.92f};
  Ridge() {
    std::mt19937 random(7);
    std::normal_distribution<float> noise(0, 0.004f);
    for (int x = 0; x < 1200; ++x)
      edge.push_back(x < 600 ? 420 : 300 + std::abs((x - 600) % 200 - 100) + (x > 1000 ? 60 : 0));
    for (int y = 0; y < 800; ++y)
      for (int x = 0; x < 1200; ++x) {
        const bool sky = y < edge[x];
        const float up = 1 - static_cast<float>(y) / 800;
        const float scene[3] = {sky ? 0.25f + 0.25f * (1 - up) : 0.05f,
                                sky ? 0.42f + 0.2f * (1 - up) : 0.06f,
                                sky ? 0.75f + 0.1f * (1 - up) : 0.03f};
        const float t = sky ? 0.35f + 0.3f * up : 0.45f + 0.4f * static_cast<float>(y) / 800;
        for (int c = 0; c < 3; ++c)
          image.planes[c].at(x, y) = (scene[c] * t + air[c] * (1 - t)) * (1 + noise(random));
      }
  }
};

TEST(Look, ClearAirHasNoHaloPressesNothingToBlackAndKeepsTheHueOfTheSky) {
  const Ridge ridge;
  const Image clear = looked(ridge.image, {{Param::haze, 100},
                                           {Param::airlight_red, ridge.air[0]},
                                           {Param::airlight_green, ridge.air[1]},
                                           {Param::airlight_blue, ridge.air[2]}});
  auto luma = [](const Image& i, int x, int y) {
    return kLumaR * i.planes[0].at(x, y) + kLumaG * i.planes[1].at(x, y) +
           kLumaB * i.planes[2].at(x, y);
  };
  auto stops = [&](int x, int y) {  // mean over a short row: noise is not what is looked for
    double sum = 0;
    for (int i = -2; i <= 2; ++i)
      sum += std::log2(luma(clear, x + i, y) / luma(ridge.image, x + i, y)) / 5;
    return sum;
  };
  // In the sky: the same row beside the teeth of the right half, and where no ridge is near (the
  // left half reaches down to row 420).
  for (int x = 610; x < 1190; x += 7)
    for (int away : {4, 8, 16, 32, 64, 100}) {
      const int y = ridge.edge[x] - away;
      if (y < 20 || y > 400) continue;
      EXPECT_LT(std::fabs(stops(x, y) - stops(300, y)), 0.15) << x << " " << away;
    }
  // And in the ridge, against the flat one far below its edge.
  for (int x = 20; x < 580; x += 40)
    for (int below : {4, 10, 30, 60})
      EXPECT_LT(std::fabs(stops(x, 420 + below) - stops(x, 420 + below + 3)), 0.15) << below;
  for (int y = 0; y < 800; y += 3)
    for (int x = 0; x < 1200; x += 3)
      for (int c = 0; c < 3; ++c)
        ASSERT_GT(clear.planes[c].at(x, y), 0.05f * luma(clear, x, y)) << x << " " << y;
  auto hue = [](const Image& i, int x, int y) {
    float v[3] = {i.planes[0].at(x, y), i.planes[1].at(x, y), i.planes[2].at(x, y)};
    to_oklab({v, v + 1, v + 2, 1});
    return std::atan2(v[2], v[1]) * 180 / std::numbers::pi;
  };
  for (int y = 20; y < 280; y += 20)
    for (int x = 50; x < 1150; x += 50)
      EXPECT_LT(std::fabs(std::remainder(hue(clear, x, y) - hue(ridge.image, x, y), 360)), 3)
          << x << " " << y;
  // It does something: the ridge, which is darker than the air, gains contrast to the sky.
  const double before = luma(ridge.image, 300, 300) / luma(ridge.image, 300, 500),
               after = luma(clear, 300, 300) / luma(clear, 300, 500);
  EXPECT_GT(after, 1.4 * before);
}

TEST(Look, HazeIsTakenFromAVeiledScene) {
  // The harbour behind air that thickens towards the top.
  const float air[3] = {0.55f, 0.6f, 0.66f};
  Image veiled = harbour();
  for (int y = 0; y < veiled.height; ++y) {
    const float t = 0.45f + 0.5f * static_cast<float>(y) / static_cast<float>(veiled.height);
    for (int c = 0; c < 3; ++c)
      for (int x = 0; x < veiled.width; ++x) {
        float& v = veiled.planes[c].at(x, y);
        v = v * t + air[c] * (1 - t);
      }
  }
  const auto measured = measure_airlight(veiled);
  for (int c = 0; c < 3; ++c) EXPECT_NEAR(std::log2(measured[c] / air[c]), 0, 1.2) << c;
  // The town and the water: a sky is haze to this method.
  auto low = [](const Image& i) { return resample(i, {0, 0.5, 1, 0.5}, {420, 140}); };
  auto with = [&](double amount) {
    return low(looked(veiled, {{Param::haze, amount},
                               {Param::airlight_red, air[0]},
                               {Param::airlight_green, air[1]},
                               {Param::airlight_blue, air[2]}}));
  };
  const double veil = test::psnr(low(veiled), low(harbour()));
  EXPECT_GT(test::psnr(with(40), low(harbour())), veil + 3);
  EXPECT_LT(test::psnr(with(-80), low(harbour())), veil);
}

TEST(Look, SharpnessSteepensEdgesWithoutWideHalosAndSparesNoise) {
  Image edge(200, 40);
  std::mt19937 random(3);
  std::normal_distribution<float> noise(0, 0.002f);
  for (auto& p : edge.planes)
    for (int y = 0; y < 40; ++y)
      for (int x = 0; x < 200; ++x)
        p.at(x, y) =
            0.1f + 0.3f / (1 + std::exp(-(static_cast<float>(x) - 100.0f) / 1.2f)) + noise(random);
  const Image sharp = looked(
      edge,
      {{Param::sharpness, 60}, {Param::sharpness_radius, 1.5}, {Param::sharpness_masking, 80}});
  auto slope = [](const Image& i) {
    double most = 0;
    for (int x = 90; x < 110; ++x) {
      double sum = 0;
      for (int y = 5; y < 35; ++y) sum += i.planes[1].at(x + 1, y) - i.planes[1].at(x, y);
      most = std::max(most, sum / 30);
    }
    return most;
  };
  EXPECT_GT(slope(sharp), 1.2 * slope(edge));
  EXPECT_LT(sharp.planes[1].at(115, 20), 0.4f * 1.35f);
  double before = 0, after = 0;
  for (int y = 5; y < 35; ++y)
    for (int x = 10; x < 80; ++x) {
      before += std::pow(edge.planes[1].at(x, y) - 0.1, 2);
      after += std::pow(sharp.planes[1].at(x, y) - 0.1, 2);
    }
  EXPECT_LT(after, before * 1.25);
}

TEST(Look, VignetteDarkensCornersAndLeavesTheMiddle) {
  const Image out = looked(filled(300, 200, 0.3f, 0.3f, 0.3f), {{Param::vignette, -60}});
  EXPECT_NEAR(out.planes[1].at(150, 100), 0.3f, 1e-6);
  EXPECT_LT(out.planes[1].at(1, 1), 0.16f);
  EXPECT_NEAR(out.planes[1].at(1, 1), out.planes[1].at(298, 198), 1e-4);
}

// A view that shows more than the film: the vignette lies where the film will have it.
TEST(Look, TheVignetteFollowsTheFilm) {
  const Image whole = filled(300, 200, 0.3f, 0.3f, 0.3f), cut = filled(150, 120, 0.3f, 0.3f, 0.3f);
  PictureRecipe s;
  s.look = neutral_look(6504, 0);
  s.look[Param::vignette] = -60;
  Image film = cut, more = whole;
  apply_look(film, s, 1);
  s.placement.film = Rect{0.4, 0.25, 0.5, 0.6};  // from column 120 and row 50 on
  apply_look(more, s, 1);
  for (int y = 0; y < 120; ++y)
    for (int x = 0; x < 150; ++x)
      ASSERT_NEAR(more.planes[1].at(120 + x, 50 + y), film.planes[1].at(x, y), 1e-6);
  EXPECT_LE(more.planes[1].at(0, 0), film.planes[1].at(0, 0));
}

// ---- colour ----------------------------------------------------------------------------------

TEST(Look, TheRingTurnsTheHueItIsSetToAndNoOther) {
  Look look = neutral_look(5600, 0);
  const double red = look[ring_param(0, RingNumber::at)],
               green = look[ring_param(2, RingNumber::at)];
  look[ring_param(0, RingNumber::hue)] = 20;
  look[ring_param(0, RingNumber::saturation)] = -50;
  EXPECT_NEAR(HueTable::ring_at(look, red).turn, 20, 1e-9);
  EXPECT_NEAR(HueTable::ring_at(look, red).saturation, -50, 1e-9);
  EXPECT_NEAR(HueTable::ring_at(look, green).turn, 0, 1e-9);
  // Continuous all round.
  for (double h = 0; h < 360; h += 1)
    EXPECT_LT(std::fabs(HueTable::ring_at(look, h + 1 < 360 ? h + 1 : 0).turn -
                        HueTable::ring_at(look, h).turn),
              1);
  const Image before = filled(8, 8, 0.1f, 0.4f, 0.12f);  // a green
  const Image after = looked(before, {{ring_param(0, RingNumber::hue), 40},
                                      {ring_param(0, RingNumber::saturation), -100}});
  EXPECT_GT(test::psnr(before, after), 45);
  const Image vivid = filled(8, 8, 0.4f, 0.08f, 0.06f);
  EXPECT_LT(test::psnr(vivid, looked(vivid, {{ring_param(0, RingNumber::saturation), -100}})), 25);
}

TEST(Look, MutedColoursGainMoreThanVividOnesAndSkinIsSpared) {
  auto gain = [](float r, float g, float b) {
    const Image before = filled(8, 8, r, g, b),
                after = looked(before, {{Param::muted_colours, 80}});
    auto chroma = [](const Image& i) {
      return std::fabs(i.planes[0].at(2, 2) - i.planes[1].at(2, 2)) +
             std::fabs(i.planes[2].at(2, 2) - i.planes[1].at(2, 2));
    };
    return chroma(after) / chroma(before);
  };
  const float pale_blue = gain(0.20f, 0.22f, 0.26f), vivid_blue = gain(0.02f, 0.06f, 0.5f),
              skin = gain(0.30f, 0.22f, 0.17f);
  EXPECT_GT(pale_blue, 1.4);
  EXPECT_LT(vivid_blue, 1.15);
  EXPECT_LT(skin - 1, 0.75 * (pale_blue - 1));
}

TEST(Look, SplitToneLeansShadowsAndHighlightsAndLeavesBlackAndWhite) {
  auto lean = [](float light) {
    const Image out = looked(filled(8, 8, light, light, light), {{Param::shadow_hue, 264},
                                                                 {Param::shadow_strength, 80},
                                                                 {Param::highlight_hue, 85},
                                                                 {Param::highlight_strength, 80}});
    return (out.planes[2].at(1, 1) - out.planes[0].at(1, 1)) / light;
  };
  EXPECT_GT(lean(0.02f), 0.1);   // blue shadows
  EXPECT_LT(lean(0.6f), -0.05);  // warm highlights
  EXPECT_NEAR(lean(1.0f), 0, 2e-3);
}

// ---- the sensor ------------------------------------------------------------------------------

TEST(Noise, FallsAndEdgesStay) {
  sim::CameraOptions camera;
  camera.dust = camera.hot_pixels = false;
  sim::Shot shot;
  shot.shutter_thirds = -29;
  shot.iso_thirds = 15;  // ISO 3200
  shot.aperture_thirds = 15;
  const Image scene = sim::HarbourScene({420, 280}, 31).render(0.5, 0);
  auto develop = [&](bool noisy, double amount) {
    camera.noise = noisy;
    const auto raw = sim::expose(scene, shot, camera);
    SensorFrame frame;
    frame.mosaic = test::mosaic_of_shot(raw);
    frame.colour = sim::camera_colour();
    PictureRecipe s = neutral();
    s.look[Param::exposure] = 3;
    s.look[Param::noise] = s.look[Param::colour_noise] = amount;
    s.source.info.iso = 3200;
    s.placement.size = {420, 280};
    return develop_frame(std::move(frame), s);
  };
  const Image clean = develop(false, 0), noisy = develop(true, 0), mended = develop(true, 50);
  EXPECT_GT(test::psnr(mended, clean), test::psnr(noisy, clean) + 3);
  // Without noise there is little to take away.
  EXPECT_GT(test::psnr(develop(false, 50), clean), test::psnr(mended, clean));
}

TEST(HotPixel, AreFoundOverTheSequenceAndMended) {
  sim::CameraOptions c;
  c.frames = 12;
  c.seed = 91;
  c.ruined = c.wrong_aperture = c.gap = false;
  const test::SmallShoot shoot(c, {360, 240});
  const auto frames = scan_folder(shoot.folder)->frames;
  const HotPixels hot = find_hot_pixels(shoot.folder, frames);
  // The simulated sensor has 20; the weakest drown in the afternoon's light.
  EXPECT_GE(hot.size(), 8u);
  EXPECT_LE(hot.size(), 24u);
  auto truth = [&](const HotPixel& p) {
    for (int i = 0; i < 20; ++i)
      if (p.x == static_cast<int>(sim::unit_hash(i, 30, 91) * 360) &&
          p.y == static_cast<int>(sim::unit_hash(i, 31, 91) * 240))
        return true;
    return false;
  };
  int right = 0;
  for (const auto& p : hot) right += truth(p);
  EXPECT_GE(right, static_cast<int>(hot.size()) - 2);
  const auto frame = *read_frame(shoot.folder / frames[10].file);
  auto light = [&](double amount) {
    const Image rgb = demosaic(frame.mosaic, {{1, 1, 1}, false, nullptr, &hot, hot_limit(amount)});
    Plane own(frame.mosaic.width, frame.mosaic.height);  // what stands where the mosaic has it
    for (int y = 0; y < own.height; ++y)
      for (int x = 0; x < own.width; ++x)
        own.at(x, y) = rgb.planes[frame.mosaic.cfa[Mosaic::place(x, y)]].at(x, y);
    return own;
  };
  const Plane as_it_is = light(0), mended = light(100);
  int changed = 0, elsewhere = 0;
  for (int y = 0; y < mended.height; ++y)
    for (int x = 0; x < mended.width; ++x) {
      EXPECT_NEAR(as_it_is.at(x, y), frame.mosaic.light(x, y), 1e-5);
      if (std::fabs(as_it_is.at(x, y) - mended.at(x, y)) < 1e-5f) continue;
      const bool known = std::any_of(hot.begin(), hot.end(),
                                     [&](const HotPixel& p) { return p.x == x && p.y == y; });
      ++(known ? changed : elsewhere);
    }
  EXPECT_GE(changed, static_cast<int>(hot.size()) - 2);
  EXPECT_EQ(elsewhere, 0);
}

SensorFrame flat_frame(Size size, float light, int orientation) {
  Plane plane(size.width, size.height);
  std::fill(plane.data.begin(), plane.data.end(), light);
  SensorFrame frame;
  frame.mosaic = sim::mosaic_of(plane, {0, 1, 1, 2});
  frame.colour = sim::camera_colour();
  frame.orientation = orientation;
  return frame;
}

// Contact sheet and timeline develop thumbnails, which are too small for it.
TEST(HotPixel, LeavesThumbnailsAsTheyAre) {
  Proxy p;
  p.width = 480, p.height = 320;
  p.full = {1920, 1280};
  p.block = 4;
  p.data.assign(3 * 480 * 320, 9000);
  PictureRecipe plain;
  plain.look = neutral_look(5500, 0);
  plain.look[Param::hot_pixels] = 50;
  PictureRecipe mended = plain;
  mended.hot_pixels = std::make_shared<const HotPixels>(HotPixels{{131, 84, 0.8f}});
  const Proxy small = make_thumbnail(p);
  const Image a = develop_proxy(small, plain), b = develop_proxy(small, mended);
  EXPECT_EQ(a.planes[0].data, b.planes[0].data);
}

TEST(HotPixel, IsMendedInProxiesHoweverTheFrameLies) {
  const HotPixels hot{{131, 84, 0.8f}};
  for (int orientation = 1; orientation <= 8; ++orientation) {
    Plane plane(400, 260);
    std::fill(plane.data.begin(), plane.data.end(), 0.05f);
    plane.at(131, 84) = 0.85f;
    SensorFrame frame = flat_frame({400, 260}, 0, orientation);
    frame.mosaic = sim::mosaic_of(plane, {0, 1, 1, 2});
    const Proxy proxy = make_proxy(frame);
    PictureRecipe s = neutral();
    s.placement.size = {};
    auto spread = [&](const PictureRecipe& how) {
      const Image image = develop_proxy(proxy, how);
      double most = 0;
      for (const auto& p : image.planes) {
        const auto [low, high] = std::minmax_element(p.data.begin(), p.data.end());
        most = std::max(most, static_cast<double>(*high - *low));
      }
      return most;
    };
    EXPECT_GT(spread(s), 0.05) << orientation;
    s.hot_pixels = std::make_shared<const HotPixels>(hot);
    s.look[Param::hot_pixels] = 50;
    EXPECT_LT(spread(s), 2e-4) << orientation;
  }
}

// A frame that lies turned gives the turned picture, wherever it is cut and with the lens
// corrected.
TEST(Orientation, AFrameThatLiesTurnedIsDevelopedLikeAnUprightOne) {
  sim::CameraOptions camera;
  camera.noise = false;
  sim::Shot shot;
  shot.shutter_thirds = -20;
  shot.aperture_thirds = 15;
  SensorFrame frame;
  frame.mosaic = test::mosaic_of_shot(
      sim::expose(sim::HarbourScene({360, 240}, 5).render(0.1, 0), shot, camera));
  frame.colour = sim::camera_colour();
  for (bool lens : {false, true})
    for (int orientation = 1; orientation <= 8; ++orientation) {
      PictureRecipe s = neutral();
      if (lens) s.look[Param::distortion] = s.look[Param::lateral_red] = 60;
      s.placement.size = {180, 120};
      frame.orientation = 1;
      const Image lying = develop_frame(frame, s);
      frame.orientation = orientation;
      const bool side = lies_on_its_side(orientation);
      if (side) s.placement.size = {120, 180};
      const Image upright = develop_frame(frame, s), turned = oriented(lying, orientation);
      ASSERT_EQ(upright.size(), turned.size());
      EXPECT_GT(test::psnr(upright, turned), 60) << orientation << lens;
      // The upper left quarter of the upright picture.
      s.placement = {Rect{0, 0, 0.5, 0.5},
                     {s.placement.size.width / 2, s.placement.size.height / 2}};
      const Image part = develop_frame(frame, s);
      double difference = 0;
      for (int y = 8; y < part.height - 8; ++y)
        for (int x = 8; x < part.width - 8; ++x)
          difference += std::fabs(part.planes[1].at(x, y) - upright.planes[1].at(x, y));
      EXPECT_LT(difference / (part.width * part.height), 2e-3) << orientation << lens;
    }
}

TEST(Lens, TheProfileOfTheSimulatedLensUndoesIt) {
  sim::CameraOptions c;
  c.frames = 1;
  c.seed = 14;
  c.noise = c.dust = c.hot_pixels = c.flicker = c.wobble = false;
  const test::SmallShoot straight(c, {600, 400});
  c.lens = true;
  const test::SmallShoot bent(c, {600, 400});
  auto develop = [](const test::SmallShoot& from, double profile) {
    Shoot s = *start_shoot(*scan_folder(from.folder));
    set_value(s, Param::lens_profile, 0, profile);
    const auto settings =
        film_recipe(s, courses_of(s), {}, itself(0), {false, {600, 400}, {}}).first();
    EXPECT_EQ(settings.lens != nullptr, profile > 0);
    return develop_frame(*read_frame(from.folder / s.sequence.frames[0].file), settings);
  };
  // The borders hold what the lens never saw.
  auto inner = [](Image i) {
    for (auto& p : i.planes)
      for (float& v : p.data)
        v = std::min(v, 1.0f);  // what is seen: the sun is brighter than white
    return resample(i, {0.06, 0.06, 0.88, 0.88}, {528, 352});
  };
  const Image truth = inner(develop(straight, 0));
  const double before = test::psnr(inner(develop(bent, 0)), truth),
               after = test::psnr(inner(develop(bent, 100)), truth);
  EXPECT_GT(after, before + 6) << before;
  EXPECT_GT(after, 30);
  EXPECT_GT(test::psnr(inner(develop(bent, 50)), truth), before);
}

// A whole upright frame at its own size.
Image correct_lens(const Image& image, const Look& look, const LensMesh* profile) {
  PictureRecipe r;
  r.look = look;
  if (profile) r.lens = std::make_shared<const LensMesh>(*profile);
  r.placement.size = image.size();
  return warp(image, placing(r, image.size(), 1), image.size());
}

TEST(Lens, AnUnknownLensHasNoProfileAndManualAmountsWork) {
  FrameInfo f;
  f.lens = "No such lens";
  f.focal_length = 28;
  f.size = {300, 200};
  EXPECT_EQ(LensLibrary().find(f), nullptr);
  PictureRecipe s = neutral();
  EXPECT_FALSE(corrects_lens(s.look, nullptr));
  Look look = s.look;
  look[Param::lens_vignetting] = 50;
  const Image flat = filled(300, 200, 0.2f, 0.2f, 0.2f), bright = correct_lens(flat, look, nullptr);
  EXPECT_NEAR(bright.planes[1].at(150, 100), 0.2f, 1e-3);
  EXPECT_NEAR(bright.planes[1].at(0, 0), 0.2f * std::exp2(0.5f), 1e-3);
  look = s.look;
  look[Param::distortion] = 60;
  const Image moved = correct_lens(harbour(), look, nullptr);
  for (int corner : {0, 419})
    EXPECT_NEAR(moved.planes[1].at(corner, 0), harbour().planes[1].at(corner, 0), 2e-2);
  EXPECT_LT(test::psnr(moved, harbour()), 30);
  look = s.look;
  look[Param::lateral_red] = 100;
  const Image fringed = correct_lens(harbour(), look, nullptr);
  EXPECT_EQ(fringed.planes[1].data == harbour().planes[1].data, false);
  EXPECT_GT(test::psnr(Image(fringed), harbour()), 20);
}

TEST(Resampling, AFineChequerBecomesMiddleGreyInLinearLight) {
  Image chequer(600, 400);
  for (auto& p : chequer.planes)
    for (int y = 0; y < 400; ++y)
      for (int x = 0; x < 600; ++x) p.at(x, y) = (x + y) % 2 ? 1.0f : 0.0f;
  const Image small = resample(chequer, {}, {150, 100});
  for (int x = 5; x < 145; ++x) EXPECT_NEAR(small.planes[1].at(x, 50), 0.5f, 0.01f);
}

// What an amount takes, as the manual and the drawer say it.
TEST(HotPixels, TheirLimitIsWhatTheAmountSays) {
  EXPECT_GT(hot_limit(0), 1000) << "none";
  EXPECT_NEAR(hot_limit(50), 0.0375, 1e-6);
  EXPECT_NEAR(hot_limit(100), 0.0046875, 1e-6);
}

}  // namespace
}  // namespace tsukimi
