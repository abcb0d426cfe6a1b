// SPDX-License-Identifier: GPL-3.0-or-later
// At rest the picture is the truth: finished from its file, at the size that is seen, where the
// live one stood.
#include "app/convert/qimage.h"
#include "develop/display.h"
#include "motion/registration.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

// Large enough that the view shows fewer pixels than the film has.
const fs::path& large() {
  static const SmallShoot shoot(
      [] {
        sim::CameraOptions c;
        c.frames = 3;
        c.seed = 61;
        c.ruined = c.wrong_aperture = c.gap = false;
        return c;
      }(),
      {1500, 1000});
  return shoot.folder;
}

class Rest : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    open(large());
    session->document.edit("Crop", [](Shoot& s) {
      s.decisions.framing = {"16:9", crop_to_aspect(s.sequence.size, 16.0 / 9)};
    });
    session->look.set_value(Param::contrast, 25);
    session->look.set_value(Param::temperature, 4600);
  }
  bool rested() {
    return QTest::qWaitFor([&] { return settled() && w->picture().shown().at_rest(); }, 20000);
  }
};

TEST_F(Rest, ItIsWhatAnExportOfThisSizeWouldBe) {
  ASSERT_TRUE(rested());
  const QImage shown = w->picture().shown().picture().image;
  // As large as the shape allows, 8 px from the edges.
  const double fit =
      std::min((w->picture().width() - 16) / 1500.0, (w->picture().height() - 16) / 842.0);
  EXPECT_EQ(shown.size(), QSize(static_cast<int>(std::lround(fit * 1500)),
                                static_cast<int>(std::lround(fit * 842))));
  EXPECT_LT(shown.width(), 1500);
  const auto film = develop_film_frame(
      film_recipe(session->document.shoot(), session->document.courses(), session->light.plan(),
                  itself(0), {false, {shown.width(), shown.height()}, {}}));
  ASSERT_TRUE(film);
  EXPECT_EQ(shown, to_qimage(to_srgb8(*film)));
}

Plane light_of(const QImage& image) {
  Plane out(image.width(), image.height());
  for (int y = 0; y < image.height(); ++y)
    for (int x = 0; x < image.width(); ++x)
      out.at(x, y) = static_cast<float>(std::pow(qGreen(image.pixel(x, y)) / 255.0, 2.2));
  return out;
}

// What a person would see as a jump: of the brightness, or of the place.
TEST_F(Rest, ItTakesThePlaceOfTheLiveOneWithoutAJump) {
  ASSERT_TRUE(rested());
  auto seen = [&] { return w->picture().grab().toImage().convertToFormat(QImage::Format_RGB32); };
  const QImage finished = seen();
  session->playhead.set_playing(true);  // in motion
  QTest::qWait(300);
  w->picture().grab();
  ASSERT_FALSE(w->picture().shown().at_rest());
  const QImage live = seen();
  ASSERT_EQ(live.size(), finished.size());
  EXPECT_NE(live, finished);
  // Block by block: what glitters is finer than a proxy, and lighter when it is not smoothed.
  const QRect inside = live.rect().adjusted(60, 60, -60, -60);
  std::vector<double> differences;
  for (int y = inside.top(); y + 15 <= inside.bottom(); y += 16)
    for (int x = inside.left(); x + 15 <= inside.right(); x += 16) {
      double sum = 0;
      for (int k = 0; k < 256; ++k) {
        const QRgb p = live.pixel(x + k % 16, y + k / 16),
                   q = finished.pixel(x + k % 16, y + k / 16);
        sum += qRed(q) + qGreen(q) + qBlue(q) - qRed(p) - qGreen(p) - qBlue(p);
      }
      differences.push_back(sum / 256 / 3);
    }
  std::ranges::sort(differences);
  const auto n = differences.size();
  // Qt cuts off what is below one of 255 where it enlarges: that is the most of it.
  EXPECT_NEAR(differences[n / 2], 0.6, 0.6);
  EXPECT_GT(differences[n / 20], -1);
  EXPECT_LT(differences[n - n / 20], 3);
  const Shift shift = measure_shift(prepare_shift(light_of(live.copy(inside))),
                                    prepare_shift(light_of(finished.copy(inside))));
  ASSERT_TRUE(shift.known);
  EXPECT_LT(std::hypot(shift.dx, shift.dy), 0.2) << shift.dx << " " << shift.dy;
}

TEST_F(Rest, WhileSomethingMovesThePictureIsLive) {
  ASSERT_TRUE(rested());
  const double before = brightness();
  QElapsedTimer clock;
  clock.start();
  int live = 0, looked = 0;
  while (clock.elapsed() < 1500) {  // as a drag: a step every 40 ms
    session->look.set_value(Param::exposure, 1 + 0.01 * looked, "drag");
    QTest::qWait(40);
    w->picture().grab();
    live += !w->picture().shown().at_rest();
    ++looked;
  }
  EXPECT_EQ(live, looked);
  EXPECT_GT(brightness(), before + 20);
  ASSERT_TRUE(rested());
  EXPECT_GT(brightness(), before + 20);
  // A step of the playhead, and a window of another size, are movements too.
  session->playhead.set_frame(1);
  w->picture().grab();
  EXPECT_FALSE(w->picture().shown().at_rest());
  ASSERT_TRUE(rested());
  w->resize(1100, 760);
  w->picture().grab();
  EXPECT_FALSE(w->picture().shown().at_rest());
  ASSERT_TRUE(rested());
}

TEST_F(Rest, PlayingAsksForNoFinishedPictures) {
  ASSERT_TRUE(rested());
  session->document.edit("rate", [](Shoot& s) { s.decisions.fps = 2; });  // slower than rest
  w->transport().toggle_play();
  QElapsedTimer clock;
  clock.start();
  int rests = 0;
  while (clock.elapsed() < 2500) {
    QTest::qWait(30);
    w->picture().grab();
    rests += w->picture().shown().at_rest();
  }
  EXPECT_EQ(rests, 0);
  w->transport().toggle_play();
  EXPECT_TRUE(rested());
}

}  // namespace
}  // namespace tsukimi::app
