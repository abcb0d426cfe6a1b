// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>

#include "framing/geometry.h"

namespace tsukimi {
namespace {

TEST(Geometry, ParsesShapes) {
  EXPECT_NEAR(*parse_aspect("16:9"), 16.0 / 9, 1e-12);
  EXPECT_NEAR(*parse_aspect("2.39:1"), 2.39, 1e-12);
  for (const char* bad : {"", "16", "16:", ":9", "a:b", "16:0", "-1:2", "16:9x", "1000:1"})
    EXPECT_FALSE(parse_aspect(bad)) << bad;
}

TEST(Geometry, CropIsTheLargestCentredRectangle) {
  const Rect r = crop_to_aspect({6000, 4000}, 16.0 / 9);
  EXPECT_DOUBLE_EQ(r.w, 1);
  EXPECT_NEAR(r.h * 4000, 3375, 1e-6);
  EXPECT_NEAR(r.y, (1 - r.h) / 2, 1e-12);
  const Rect tall = crop_to_aspect({6000, 4000}, 1);
  EXPECT_DOUBLE_EQ(tall.h, 1);
  EXPECT_NEAR(tall.w * 6000, 4000, 1e-6);
}

TEST(Geometry, MovingStaysInside) {
  const Rect r = moved_inside({0, 0, 0.5, 0.5}, 0.9, -1);
  EXPECT_DOUBLE_EQ(r.x, 0.5);
  EXPECT_DOUBLE_EQ(r.y, 0);
}

TEST(Geometry, NaturalSizeOfACropIsEven) {
  EXPECT_EQ(natural_size({1501, 1001}, {}), (Size{1501, 1001}));
  EXPECT_EQ(natural_size({1501, 1001}, {0, 0, 0.999, 0.999}), (Size{1498, 998}));
  EXPECT_EQ(natural_size({1500, 1000}, {0, 0, 1, 0.84375}), (Size{1500, 842}));
}

Image pattern(int w, int h, float (*f)(int, int)) {
  Image image(w, h);
  for (auto& p : image.planes)
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) p.at(x, y) = f(x, y);
  return image;
}

TEST(Resample, FineChequerBecomesMiddleLight) {
  const Image chequer = pattern(400, 300, [](int x, int y) { return (x + y) % 2 ? 1.0f : 0.0f; });
  const Image small = resample(chequer, {}, {133, 100});
  for (int y = 4; y < 96; ++y)
    for (int x = 4; x < 129; ++x) ASSERT_NEAR(small.planes[1].at(x, y), 0.5f, 0.01f);
}

TEST(Resample, FlatStaysFlatToTheEdge) {
  const Image flat = pattern(97, 61, [](int, int) { return 0.37f; });
  for (const Size s : {Size{40, 31}, Size{150, 90}}) {
    const Image out = resample(flat, {0.1, 0, 0.8, 1}, s);
    EXPECT_EQ(out.size(), s);
    for (const auto& p : out.planes)
      for (float v : p.data) ASSERT_NEAR(v, 0.37f, 1e-5);
  }
}

TEST(Resample, KeepsPlaces) {
  // A soft spot at a known place; its centre of mass must land where the crop says.
  const Image spot = pattern(300, 200, [](int x, int y) {
    const float dx = x + 0.5f - 180, dy = y + 0.5f - 80;
    return std::exp(-(dx * dx + dy * dy) / 200);
  });
  const Rect part{0.3, 0.2, 0.5, 0.5};
  const Image out = resample(spot, part, {75, 50});
  double sum = 0, mx = 0, my = 0;
  for (int y = 0; y < 50; ++y)
    for (int x = 0; x < 75; ++x) {
      const double v = out.planes[0].at(x, y);
      sum += v, mx += v * (x + 0.5), my += v * (y + 0.5);
    }
  EXPECT_NEAR(mx / sum, (180 - 90) * 0.5, 0.05);
  EXPECT_NEAR(my / sum, (80 - 40) * 0.5, 0.05);
}

TEST(Resample, WholeFrameAtItsSizeIsUntouched) {
  const Image image = pattern(31, 17, [](int x, int y) { return static_cast<float>(x * y); });
  EXPECT_EQ(resample(image, {}, {31, 17}).planes[0].data, image.planes[0].data);
}

}  // namespace
}  // namespace tsukimi
