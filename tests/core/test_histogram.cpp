// SPDX-License-Identifier: GPL-3.0-or-later
// How tones are spread: counted, and against what the simulator wrote into its files.
#include <gtest/gtest.h>

#include "camera/sensor_frame.h"
#include "film/tones.h"
#include "measure/histogram.h"
#include "support.h"

namespace tsukimi {
namespace {

TEST(Histogram, CountsEachChannelAndWhatIsLost) {
  Encoded8 e(10, 10);
  for (int i = 0; i < 100; ++i) {
    auto* p = e.data.data() + 3 * i;
    p[0] = static_cast<std::uint8_t>(i < 7 ? 255 : 100);  // a clipped channel is enough
    p[1] = static_cast<std::uint8_t>(i >= 95 ? 0 : 50);
    p[2] = static_cast<std::uint8_t>(i >= 95 ? 0 : 20);
    if (i >= 97) p[0] = 0;  // black takes all three
  }
  const Histogram h = histogram_of(e);
  EXPECT_EQ(h.counts[Histogram::red][255], 7u);
  EXPECT_EQ(h.counts[Histogram::red][100], 90u);
  EXPECT_EQ(h.counts[Histogram::green][50], 95u);
  EXPECT_EQ(h.counts[Histogram::blue][0], 5u);
  EXPECT_DOUBLE_EQ(h.clipped, 0.07);
  EXPECT_DOUBLE_EQ(h.black, 0.03);
  for (const auto& c : h.counts) EXPECT_EQ(std::accumulate(c.begin(), c.end(), 0u), 100u);
  EXPECT_EQ(luma(255, 255, 255), 255);
  EXPECT_EQ(h.counts[Histogram::brightness][luma(100, 50, 20)], 88u);
}

TEST(Tones, EveryFrameIsLookedAtOnce) {
  for (int frames = 1; frames < 200; ++frames) {
    std::vector<int> order = coarse_first(frames), all(static_cast<std::size_t>(frames));
    std::iota(all.begin(), all.end(), 0);
    std::ranges::sort(order);
    EXPECT_EQ(order, all);
  }
}

TEST(Histogram, TheDithersStepHidesNothing) {
  // Flat white is 254 and 255 after the dither.
  Encoded8 e(2, 1);
  const std::uint8_t values[] = {254, 255, 255, 1, 0, 1};
  std::copy(std::begin(values), std::end(values), e.data.begin());
  const Histogram h = histogram_of(e);
  EXPECT_DOUBLE_EQ(h.clipped, 0.5);
  EXPECT_DOUBLE_EQ(h.black, 0.5);
}

TEST(Histogram, SensorStopsAreBelowTheSensorsEnd) {
  Proxy p;
  p.width = 4, p.height = 1;
  p.data.resize(12);
  const double light[3][4] = {{1, 0.5, 0.125, 0}, {1, 0.5, 0.125, 0}, {1, 0.5, 0.125, 0}};
  for (int c = 0; c < 3; ++c)
    for (int i = 0; i < 4; ++i)
      p.data[static_cast<std::size_t>(4 * c + i)] =
          StoredLight(false).number(static_cast<float>(light[c][i]));
  p.grid.clipped.assign(LightGrid::kCells, 51);  // a fifth of the pixels
  const Histogram h = sensor_histogram_of(p);
  auto bin = [](double stops) {
    return static_cast<int>((stops - kSensorFloor) / -kSensorFloor * Histogram::kBins);
  };
  for (const auto& c : h.counts) {
    EXPECT_EQ(c[255], 1u);
    EXPECT_EQ(c[bin(-1)], 1u);
    EXPECT_EQ(c[bin(-3)], 1u);
    EXPECT_EQ(c[0], 1u);
  }
  EXPECT_NEAR(h.clipped, 0.2, 1e-9);
  EXPECT_DOUBLE_EQ(h.black, 0.25);
}

// Held against the numbers of the file itself.
TEST(Histogram, TheSensorsMedianIsThatOfTheFile) {
  sim::CameraOptions camera;
  camera.frames = 2;
  camera.seed = 71;
  const test::SmallShoot shoot(camera, {600, 400});
  const auto file = std::filesystem::directory_iterator(shoot.folder)->path();
  const auto frame = read_frame(file);
  ASSERT_TRUE(frame);
  const Histogram h = sensor_histogram_of(make_proxy(*frame));
  std::vector<double> light;
  double clipped = 0;
  const Mosaic& m = frame->mosaic;
  for (int y = 0; y + 1 < m.height; y += 2)
    for (int x = 0; x + 1 < m.width; x += 2) {
      const double l[] = {m.light(x, y), m.light(x + 1, y), m.light(x, y + 1),
                          m.light(x + 1, y + 1)};
      light.push_back((l[0] + l[1] + l[2] + l[3]) / 4);  // a red, two greens, a blue
      for (double v : l) clipped += v >= 1;
    }
  std::ranges::nth_element(light, light.begin() + light.size() / 2);
  const auto& bins = h.counts[Histogram::brightness];
  const auto all = std::accumulate(bins.begin(), bins.end(), 0u);
  std::uint32_t below = 0;
  int median = 0;
  while (below < all / 2) below += bins[median++];
  EXPECT_NEAR(kSensorFloor + (median - 0.5) * -kSensorFloor / Histogram::kBins,
              std::log2(light[light.size() / 2]), 0.1);
  // A cell of the proxy counts as clipped when one of its pixels is.
  EXPECT_GT(clipped, 0);
  EXPECT_GE(h.clipped, 0.5 * clipped / (m.width * m.height));
  EXPECT_LE(h.clipped, 4 * clipped / (m.width * m.height) + 0.005);
}

}  // namespace
}  // namespace tsukimi
