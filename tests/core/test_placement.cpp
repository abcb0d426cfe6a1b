// SPDX-License-Identifier: GPL-3.0-or-later
// Turned placements, and light that changes over the frame or by channel.
#include <gtest/gtest.h>

#include "develop/develop.h"
#include "develop/placing.h"
#include "develop/white_balance.h"
#include "image/lanczos.h"
#include "image/orientation.h"
#include "pictures.h"
#include "proxy/proxy.h"
#include "sim/scene.h"

namespace tsukimi {
namespace {

constexpr Size kFrame{360, 240};

const SensorFrame& harbour() {
  static const SensorFrame frame = [] {
    sim::CameraOptions camera;
    camera.noise = false;
    sim::Shot shot;
    shot.shutter_thirds = -20;
    shot.aperture_thirds = 15;
    SensorFrame f;
    f.mosaic = test::mosaic_of_shot(
        sim::expose(sim::HarbourScene(kFrame, 7).render(0.1, 0), shot, camera));
    f.colour = sim::camera_colour();
    return f;
  }();
  return frame;
}

// Of one light everywhere, lying as it does.
SensorFrame grey(Size size, int orientation = 1) {
  SensorFrame f;
  f.rgb = Image(size.width, size.height);
  for (auto& p : f.rgb.planes) std::fill(p.data.begin(), p.data.end(), 0.2f);
  f.colour = sim::camera_colour();
  f.orientation = orientation;
  return f;
}

PictureRecipe placed(Placement placement) {
  PictureRecipe r;
  r.look = neutral_look(5600, 0);
  r.placement = placement;
  return r;
}

// Sampled one place after another, straight from the definition.
Image sampled(const Image& frame, const Placement& lies) {
  Image out(lies.size.width, lies.size.height);
  const double wide = reduction(lies, frame.size(), lies.size.width);
  const double reach = 3 * std::max(1.0, wide);
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x) {
      const Point p = lies.at((x + 0.5) / out.width, (y + 0.5) / out.height);
      const double fx = p.x * frame.width - 0.5, fy = p.y * frame.height - 0.5;
      double sum[3] = {}, all = 0;
      for (int j = static_cast<int>(std::ceil(fy - reach)); j <= fy + reach; ++j)
        for (int i = static_cast<int>(std::ceil(fx - reach)); i <= fx + reach; ++i) {
          const double w = lanczos((i - fx) / std::max(1.0, wide), 3) *
                           lanczos((j - fy) / std::max(1.0, wide), 3);
          all += w;
          for (int c = 0; c < 3; ++c)
            sum[c] += w * frame.planes[c].at(std::clamp(i, 0, frame.width - 1),
                                             std::clamp(j, 0, frame.height - 1));
        }
      for (int c = 0; c < 3; ++c) out.planes[c].at(x, y) = static_cast<float>(sum[c] / all);
    }
  return out;
}

TEST(Placement, TurningKeepsTheMiddleAndTheSidesInPixels) {
  const Rect part{0.2, 0.1, 0.5, 0.6};
  const Placement p = turned({part, {180, 144}}, 20, kFrame);
  EXPECT_NEAR(p.at(0.5, 0.5).x, 0.45, 1e-12);
  EXPECT_NEAR(p.at(0.5, 0.5).y, 0.4, 1e-12);
  const double rx = p.right.x * 360, ry = p.right.y * 240, dx = p.down.x * 360, dy = p.down.y * 240;
  EXPECT_NEAR(std::hypot(rx, ry), 180, 1e-9);
  EXPECT_NEAR(std::hypot(dx, dy), 144, 1e-9);
  EXPECT_NEAR(rx * dx + ry * dy, 0, 1e-9);
  EXPECT_NEAR(std::atan2(ry, rx) * 180 / 3.14159265358979, 20, 1e-9) << "clockwise";
  EXPECT_FALSE(Placement(part).is_turned());
  EXPECT_NEAR(turned({part, {180, 144}}, 0, kFrame).part().y, part.y, 1e-15);
}

TEST(Placement, ATurnedPictureIsWhatTheFrameShowsThere) {
  const Image whole = develop_frame(harbour(), placed({Rect{}, kFrame}));
  for (double degrees : {-12.0, -3.0, 0.7, 3.0, 8.0})
    for (Size size : {Size{216, 144}, Size{108, 72}}) {
      const Placement lies = turned({Rect{0.2, 0.2, 0.6, 0.6}, size}, degrees, kFrame);
      const Image made = develop_frame(harbour(), placed(lies));
      EXPECT_GT(test::psnr(made, sampled(whole, lies)), 42) << degrees << " " << size.width;
    }
}

TEST(Placement, TilesLeaveNoSeamsAndAskForLittle) {
  const Size size{961, 640};  // tiles begin just where nodes of the mesh are
  PictureRecipe r = placed(turned({Rect{0.15, 0.15, 0.7, 0.7}, size}, 4, {1200, 800}));
  r.look[Param::distortion] = 40;
  const Warp how = placing(r, {1200, 800}, 1);
  ASSERT_LT(how.tile_width(), size.width);
  Image source(1200, 800);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < source.height; ++y)
      for (int x = 0; x < source.width; ++x)
        source.planes[c].at(x, y) = 0.5f + 0.3f * std::sin(0.11f * x + c) * std::cos(0.07f * y);
  Image stripes(size.width, size.height), tiles(size.width, size.height);
  how.run({source}, {0, 0, size.width, size.height}, stripes);
  double most = 0;
  const int w = how.tile_width();
  for (int y = 0; y < size.height; y += 64)
    for (int x = 0; x < size.width; x += w) {
      const Tile tile{x, y, std::min(size.width, x + w), std::min(size.height, y + 64)};
      const Span rows = how.rows(tile), columns = how.columns(tile);
      EXPECT_LT(rows.count(), 64 * 1200 / 900 + 60) << x << " " << y;
      EXPECT_LT(columns.count(), w * 1200 / 900 + 40) << x << " " << y;
      // Nothing outside of what was asked for is looked at.
      Image band(columns.count(), rows.count());
      for (int c = 0; c < 3; ++c)
        for (int k = 0; k < band.height; ++k)
          std::copy_n(source.planes[c].row(rows.first + k) + columns.first, band.width,
                      band.planes[c].row(k));
      how.run({band, columns.first, rows.first}, tile, tiles);
    }
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < tiles.planes[c].data.size(); ++i)
      most = std::max(most, std::fabs(1.0 * tiles.planes[c].data[i] - stripes.planes[c].data[i]));
  EXPECT_LT(most, 2e-4);
}

TEST(Placement, IsOfTheUprightFrameHoweverItLies) {
  for (int orientation = 1; orientation <= 8; ++orientation) {
    SensorFrame lying = harbour();
    lying.rgb = develop_frame(harbour(), placed({Rect{}, kFrame}));
    lying.mosaic = {};
    SensorFrame upright = lying;
    upright.rgb = oriented(Image(lying.rgb), orientation);
    lying.orientation = orientation;
    const Placement lies = turned({Rect{0.25, 0.2, 0.5, 0.5}, {150, 100}}, 5, upright.rgb.size());
    PictureRecipe r = placed(lies);
    r.light.field = {2, 2, {0, 0.3, -0.2, 0.1}, {}};
    const Image a = develop_frame(lying, r), b = develop_frame(upright, r);
    ASSERT_EQ(a.size(), (Size{150, 100}));
    // Not the same bits: which way is gone first, along rows or columns, depends on how it lies.
    EXPECT_GT(test::psnr(a, b), 44) << orientation;
  }
}

TEST(Placement, WithoutASizeItIsTheWholeFrameAsItIs) {
  PictureRecipe none = placed({});
  const Image whole = develop_frame(harbour(), placed({Rect{}, kFrame}));
  EXPECT_EQ(develop_frame(harbour(), none).planes[1].data, whole.planes[1].data);
  SensorFrame lying = harbour();
  lying.orientation = 6;
  EXPECT_EQ(develop_frame(lying, none).size(), (Size{kFrame.height, kFrame.width}));
}

TEST(Placement, ProxiesLieAlike) {
  const Proxy proxy = make_proxy(harbour());
  const Placement straight{Rect{0.2, 0.2, 0.6, 0.6}, {108, 72}}, lies = turned(straight, 6, kFrame);
  const Image full = develop_frame(harbour(), placed(lies)),
              plain = develop_frame(harbour(), placed(straight));
  // As near to the export as a proxy is that is not turned.
  EXPECT_GT(test::psnr(develop_proxy(proxy, placed(lies)), full),
            test::psnr(develop_proxy(proxy, placed(straight)), plain) - 1);
  EXPECT_LT(test::psnr(plain, full), 25);
}

TEST(Light, ChannelStopsAreTheSensors) {
  const WhiteBalance wb = white_balance(sim::camera_colour(), 5600, 0);
  Image plain(2, 1), doubled(2, 1);
  for (int c = 0; c < 3; ++c) {
    plain.planes[c].data = {0.1f * (c + 1), 0.02f};
    doubled.planes[c].data = plain.planes[c].data;
  }
  for (float& v : doubled.planes[0].data) v *= 2;
  for (float& v : doubled.planes[2].data) v *= 0.5f;
  to_working_space(plain, {0, 0, 2, 1}, wb, {0.5, {1, 0, -1}});
  to_working_space(doubled, {0, 0, 2, 1}, wb, {0.5, {}});
  for (int c = 0; c < 3; ++c)
    for (int x = 0; x < 2; ++x)
      EXPECT_NEAR(plain.planes[c].data[x], doubled.planes[c].data[x], 1e-6f);
}

// What is asked of the light is what becomes of a frame of one light, on frames and proxies.
TEST(Light, ReachesFramesAndProxiesAlike) {
  const SensorFrame frame = grey({240, 160});
  const Proxy proxy = make_proxy(frame);
  for (const Rect part : {Rect{}, Rect{0.25, 0.1, 0.5, 0.6}}) {
    PictureRecipe r = placed({part, {120, 80}});
    const Image before[2] = {develop_frame(frame, r), develop_proxy(proxy, r)};
    r.light.stops = 0.3;
    r.light.channel_stops = {0.2, 0.2, 0.2};
    r.light.field = {3, 2, {0.1, -0.4, 0.15, 0.3, 0.1, -0.05}, {}};
    const Image after[2] = {develop_frame(frame, r), develop_proxy(proxy, r)};
    for (int k = 0; k < 2; ++k)
      for (int y = 2; y < 78; y += 5)
        for (int x = 2; x < 118; x += 5) {
          const double u = part.x + part.w * (x + 0.5) / 120, v = part.y + part.h * (y + 0.5) / 80;
          const double stops =
              std::log2(after[k].planes[1].at(x, y) / before[k].planes[1].at(x, y));
          const double pi = 3.14159265358979;
          const double wanted =
              0.5 + 0.1 - 0.4 * std::cos(pi * u) + 0.15 * std::cos(2 * pi * u) +
              std::cos(pi * v) * (0.3 + 0.1 * std::cos(pi * u) - 0.05 * std::cos(2 * pi * u));
          EXPECT_NEAR(stops, wanted, 0.01) << k << " " << x << " " << y;
        }
  }
}

// Bands as fine as they are looked for, also through a crop and in a frame that lies on its side.
TEST(Light, BandsReachEveryRowOfFramesAndProxies) {
  for (const int orientation : {1, 6})
    for (const Rect part : {Rect{}, Rect{0.2, 0.1, 0.6, 0.6}}) {
      SensorFrame frame = grey({300, 300});
      frame.orientation = orientation;
      PictureRecipe r = placed({part, {200, 200}});
      const Image before[2] = {develop_frame(frame, r), develop_proxy(make_proxy(frame), r)};
      r.light.field.wave = {false, 9.7, 0.06, -0.04};
      const Image after[2] = {develop_frame(frame, r), develop_proxy(make_proxy(frame), r)};
      for (int k = 0; k < 2; ++k)
        for (int y = 2; y < 198; ++y) {
          const double angle = 2 * 3.14159265358979 * 9.7 * (part.y + part.h * (y + 0.5) / 200);
          const double stops =
              std::log2(after[k].planes[1].at(100, y) / before[k].planes[1].at(100, y));
          EXPECT_NEAR(stops, 0.06 * std::sin(angle) - 0.04 * std::cos(angle), 0.002)
              << orientation << " " << k << " " << y;
        }
    }
}

TEST(Light, AChannelAloneChangesColourAlikeOnFramesAndProxies) {
  const SensorFrame frame = grey({240, 160});
  PictureRecipe r = placed({Rect{}, {60, 40}});
  r.light.channel_stops = {0.4, 0, -0.3};
  const Image full = develop_frame(frame, r), live = develop_proxy(make_proxy(frame), r);
  const Image plain = develop_frame(frame, placed({Rect{}, {60, 40}}));
  EXPECT_GT(full.planes[0].at(30, 20), plain.planes[0].at(30, 20) * 1.15f);
  EXPECT_LT(full.planes[2].at(30, 20), plain.planes[2].at(30, 20) * 0.9f);
  for (int c = 0; c < 3; ++c)
    EXPECT_NEAR(live.planes[c].at(30, 20), full.planes[c].at(30, 20), 2e-3f);
}

}  // namespace
}  // namespace tsukimi
