// What is seen beside the picture: how its tones are spread.
#include "app/drawers/histogram_view.h"
#include "develop/display.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class Seeing : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    open();
  }
  HistogramView& histogram() { return *find<HistogramView>("histogram"); }
  bool rested() {
    return QTest::qWaitFor([&] { return w->picture().at_rest(); }, 20000);
  }
};

TEST_F(Seeing, TheHistogramIsThatOfThePictureOnScreen) {
  ASSERT_TRUE(rested());
  auto counted = [&] {  // from the picture itself
    const QImage i = w->picture().shown();
    std::array<std::uint32_t, 256> bins{};
    double clipped = 0;
    for (int y = 0; y < i.height(); ++y)
      for (int x = 0; x < i.width(); ++x) {
        const QRgb c = i.pixel(x, y);
        ++bins[static_cast<std::size_t>(qRed(c))];
        clipped += std::max({qRed(c), qGreen(c), qBlue(c)}) >= 254;
      }
    return std::pair(bins, clipped / (i.width() * i.height()));
  };
  const auto first = histogram().shown();
  ASSERT_NE(first, nullptr);
  EXPECT_EQ(first->counts[Histogram::red], counted().first);
  EXPECT_NEAR(first->clipped, counted().second, 1e-9);
  // Three stops more: more is clipped, and the histogram follows.
  session->look.set_value(Param::exposure, 3);
  ASSERT_TRUE(rested());
  const auto bright = histogram().shown();
  EXPECT_GT(bright->clipped, first->clipped + 0.05);
  EXPECT_EQ(bright->counts[Histogram::red], counted().first);
}

TEST_F(Seeing, SensorStopsAreOfTheFileWhateverTheLook) {
  click(find<QToolButton>("tones_1"));
  EXPECT_TRUE(histogram().sensor());
  ASSERT_TRUE(QTest::qWaitFor([&] { return histogram().shown() != nullptr; }, 20000));
  const auto before = histogram().shown()->counts;
  const QImage drawn = histogram().grab().toImage();
  session->look.set_value(Param::exposure, 3);
  ASSERT_TRUE(rested());
  EXPECT_EQ(histogram().shown()->counts, before);
  EXPECT_EQ(histogram().grab().toImage(), drawn);
  click(find<QToolButton>("tones_0"));
  EXPECT_FALSE(histogram().sensor());
  EXPECT_NE(histogram().grab().toImage(), drawn);
}

// Behind the curve stands the light as it comes to it: dragging the curve does not move it, the
// exposure before it does.
TEST_F(Seeing, BehindTheCurveStandsTheLightBeforeIt) {
  click(find<QToolButton>("page_tones"));
  auto before_curve = [&] {
    std::shared_ptr<const Histogram> tones;
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
          tones = w->preview().get(0, Rendering::before_curve, false).tones;
          return tones != nullptr;
        },
        20000));
    return tones;
  };
  const auto plain = before_curve();
  session->look.set_value(curve_param(0, 4), 80);  // the middle up
  EXPECT_EQ(before_curve()->counts, plain->counts);
  ASSERT_TRUE(rested());
  EXPECT_NE(w->picture().shown_picture().tones->counts, plain->counts);
  session->look.set_value(Param::exposure, 1);
  EXPECT_NE(before_curve()->counts, plain->counts);
}

}  // namespace
}  // namespace tsukimi::app
