// SPDX-License-Identifier: GPL-3.0-or-later
// The parts that the develop engine is made of, each alone.
#include <gtest/gtest.h>

#include <mutex>
#include <random>
#include <set>
#include <thread>

#include "base/parallel.h"
#include "core/pictures.h"
#include "develop/placing.h"
#include "develop/wavelet.h"
#include "develop/white_balance.h"
#include "framing/warp.h"
#include "image/orientation.h"
#include "sim/light_mosaic.h"
#include "sim/scene.h"

namespace tsukimi {
namespace {

Plane noise(int w, int h, double sigma, unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<float> normal(0, static_cast<float>(sigma));
  Plane out(w, h);
  for (float& v : out.data) v = normal(random);
  return out;
}

double spread(const Plane& p) {
  double sum = 0;
  for (float v : p.data) sum += static_cast<double>(v) * v;
  return std::sqrt(sum / static_cast<double>(p.data.size()));
}

const Image& harbour() {
  static const Image image = sim::HarbourScene({360, 240}, 19).render(0.3, 0);
  return image;
}

// A mesh that takes each place from (x * scale + dx, y * scale + dy).
WarpMesh moved(Size result, double scale, double dx, double dy, float gain = 1) {
  WarpMesh mesh{9, 7, {}};
  for (int row = 0; row < mesh.rows; ++row)
    for (int column = 0; column < mesh.columns; ++column) {
      const double x = (result.width - 1.0) * column / (mesh.columns - 1),
                   y = (result.height - 1.0) * row / (mesh.rows - 1);
      WarpMesh::Node node;
      for (int c = 0; c < 3; ++c) {
        node.x[c] = static_cast<float>(x * scale + dx);
        node.y[c] = static_cast<float>(y * scale + dy);
      }
      node.gain = gain;
      mesh.nodes.push_back(node);
    }
  return mesh;
}

TEST(Warp, WholePixelsAreTakenAsTheyAre) {
  const Size size{100, 80};
  const Warp how({360, 240}, size, moved(size, 1, 37, 21), {});
  const Image out = warp(harbour(), how, size);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < 80; y += 3)
      for (int x = 0; x < 100; x += 3)
        EXPECT_NEAR(out.planes[c].at(x, y), harbour().planes[c].at(x + 37, y + 21),
                    0.01f + 0.01f * harbour().planes[c].at(x + 37, y + 21));
}

TEST(Warp, ReducesLikeTheStraightResampling) {
  const Size size{150, 100};
  const double scale = 2.0;
  // Middle of pixel i of the result: (i + 0.5) * scale - 0.5 of the source.
  const Warp how({360, 240}, size, moved(size, scale, 30.5, 20.5), {scale, scale});
  const Image bent = warp(harbour(), how, size),
              straight =
                  resample(harbour(), {30.0 / 360, 20.0 / 240, 300.0 / 360, 200.0 / 240}, size);
  EXPECT_GT(test::psnr(bent, straight), 55);
}

TEST(Warp, GainAndWhatLiesOutside) {
  Image flat(60, 40);
  for (auto& p : flat.planes) std::fill(p.data.begin(), p.data.end(), 0.25f);
  const Size size{50, 30};
  for (double shift : {-40.0, 0.0, 55.0}) {
    const Image out = warp(flat, Warp({60, 40}, size, moved(size, 1, shift, shift, 2), {}), size);
    for (const auto& p : out.planes)
      for (float v : p.data) EXPECT_NEAR(v, 0.5f, 2e-3f) << shift;
  }
}

TEST(Warp, PiecesAreTheWholeAndAskForNoMoreThanTheyNeed) {
  const Size size{128, 96};
  PictureRecipe r;
  r.look = neutral_look(5600, 0);
  r.look[Param::distortion] = 70;
  r.look[Param::lateral_blue] = -80;
  r.placement = {Rect{0.1, 0.2, 0.6, 0.7}, size};
  const Warp how = placing(r, {360, 240}, 1);
  const Image whole = warp(harbour(), how, size);
  Image pieces(size.width, size.height);
  for (int y0 = 0; y0 < size.height; y0 += 32) {
    const Tile tile{0, y0, size.width, y0 + 32};
    const Span rows = how.rows(tile), columns = how.columns(tile);
    EXPECT_LT(rows.count(), 150);
    Image band(columns.count(), rows.count());
    for (int c = 0; c < 3; ++c)
      for (int y = 0; y < band.height; ++y)
        std::copy_n(harbour().planes[c].row(y + rows.first) + columns.first, band.width,
                    band.planes[c].row(y));
    how.run({band, columns.first, rows.first}, tile, pieces);
  }
  for (int c = 0; c < 3; ++c) EXPECT_EQ(pieces.planes[c].data, whole.planes[c].data);
}

TEST(Resampler, PiecesAreTheWhole) {
  const Size size{111, 70};
  const Rect part{0.05, 0.1, 0.8, 0.75};
  const Resampler how({360, 240}, part, size);
  const Image whole = resample(harbour(), part, size);
  Image pieces(size.width, size.height);
  for (int y0 = 0; y0 < size.height; y0 += 17) {
    const Tile tile{0, y0, size.width, std::min(size.height, y0 + 17)};
    const Span rows = how.rows(tile), columns = how.columns(tile);
    Image band(columns.count(), rows.count());
    for (int c = 0; c < 3; ++c)
      for (int y = 0; y < band.height; ++y)
        std::copy_n(harbour().planes[c].row(y + rows.first) + columns.first, band.width,
                    band.planes[c].row(y));
    how.run({band, columns.first, rows.first}, tile, pieces);
  }
  for (int c = 0; c < 3; ++c) EXPECT_EQ(pieces.planes[c].data, whole.planes[c].data);
}

TEST(Wavelet, NoiseGoesAndAnEdgeStays) {
  const Plane only = noise(200, 150, 0.02, 5);
  EXPECT_LT(spread(shrink_waves(only, 1.7 * 0.02, 4)), 0.2 * spread(only));
  Plane edge = noise(200, 150, 0.02, 6);
  for (int y = 0; y < edge.height; ++y)
    for (int x = 100; x < edge.width; ++x) edge.at(x, y) += 1;
  const Plane out = shrink_waves(edge, 1.7 * 0.02, 4);
  double left = 0, right = 0;
  for (int y = 10; y < 140; ++y) left += out.at(98, y) / 130, right += out.at(101, y) / 130;
  EXPECT_LT(left, 0.03);
  EXPECT_GT(right, 0.97);
}

TEST(Wavelet, RowsAreTheSameWhereverOneBegins) {
  const Plane in = noise(64, 90, 0.1, 7), whole = shrink_waves(in, 0.05, 4);
  for (int first : {0, 1, 13, 60, 88}) {
    WaveletShrink rows(in, 0.05, 4, first);
    std::vector<float> row(64);
    for (int y = first; y < 90; ++y) {
      rows.next_row(row.data());
      for (int x = 0; x < 64; ++x) ASSERT_EQ(row[x], whole.at(x, y)) << first << " " << y;
    }
  }
}

TEST(Wavelet, PicturesSmallerThanItsReach) {
  for (const Size s : {Size{3, 2}, Size{1, 9}, Size{9, 1}, Size{17, 5}}) {
    const Plane out = shrink_waves(noise(s.width, s.height, 0.1, 8), 0.1, 5);
    for (float v : out.data) EXPECT_TRUE(std::isfinite(v));
  }
}

TEST(Orientation, ThereAndBack) {
  for (int o = 1; o <= 8; ++o) {
    const Point p{0.2, 0.7}, q = upright_point(point_in_file(p, o), o);
    EXPECT_NEAR(q.x, p.x, 1e-12);
    EXPECT_NEAR(q.y, p.y, 1e-12);
  }
  Image image(3, 2);
  for (int i = 0; i < 6; ++i)
    for (auto& p : image.planes) p.data[i] = static_cast<float>(i);
  // Orientation 6: the file's left column is the picture's top row, from its bottom.
  const Image turned = oriented(image, 6);
  EXPECT_EQ(turned.size(), (Size{2, 3}));
  EXPECT_EQ(turned.planes[0].data, (Pixels<float>{3, 0, 4, 1, 5, 2}));
}

TEST(Mosaic, NumbersAndLight) {
  Plane light(8, 4);
  for (int i = 0; i < 32; ++i) light.data[i] = static_cast<float>(i) / 31 - 0.02f;
  const Mosaic m = sim::mosaic_of(light, {1, 0, 2, 1});
  std::vector<float> row(8);
  for (int y = 0; y < 4; ++y) {
    m.light_row(y, row.data());
    for (int x = 0; x < 8; ++x) {
      EXPECT_NEAR(row[x], light.at(x, y), 1e-5);
      EXPECT_EQ(row[x], m.light(x, y));
    }
  }
}

TEST(WhiteBalance, ProxyNumbersAndPicturesGiveTheSame) {
  SensorFrame frame;
  Plane light(80, 60);
  for (std::size_t i = 0; i < light.data.size(); ++i)
    light.data[i] = 0.3f + 0.7f * static_cast<float>(i % 97) / 97;
  frame.mosaic = sim::mosaic_of(light, {0, 1, 1, 2});
  frame.colour = sim::camera_colour();
  const Proxy proxy = make_proxy(frame);
  const auto wb = white_balance(frame.colour, 4800, 10);
  Image one = unpack(proxy);
  balance(one, wb);
  const Image two = balanced(proxy, wb);
  to_working_space(one, {0, 0, one.width, one.height}, wb, {0.7, {}});
  const Image three = in_working_space(proxy, wb, {0.7, {}});
  EXPECT_GT(test::psnr(one, three), 100);
  EXPECT_EQ(two.size(), three.size());
}

TEST(Parallel, OneThreadMeansOneThread) {
  std::set<std::thread::id> seen;
  std::mutex mutex;
  on_one_thread([&] {
    parallel_ranges(1000, 1, [&](int, int) {
      const std::lock_guard lock(mutex);
      seen.insert(std::this_thread::get_id());
    });
  });
  EXPECT_EQ(seen.size(), 1u);
}

TEST(Pixels, FreedPlanesAreUsedAgainAndGivenBack) {
  constexpr int kSide = 1500;  // 9 MB
  const float* before = nullptr;
  {
    const Plane p(kSide, kSide);
    before = p.data.data();
    EXPECT_EQ(reinterpret_cast<std::uintptr_t>(before) % 64, 0u);
  }
  const Plane again(kSide, kSide);
#ifndef __SANITIZE_ADDRESS__
  EXPECT_EQ(again.data.data(), before);
#endif
  drop_spare_pixels();
  Plane other(kSide, kSide);
  other.at(kSide - 1, kSide - 1) = 1;
  EXPECT_EQ(other.at(kSide - 1, kSide - 1), 1);
}

}  // namespace
}  // namespace tsukimi
