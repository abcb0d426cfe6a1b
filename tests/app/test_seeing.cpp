// SPDX-License-Identifier: GPL-3.0-or-later
// What is seen beside the picture: how its tones are spread.
#include "app/drawers/histogram_view.h"
#include "develop/display.h"
#include "document/values.h"
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
  QRgb shown_at(QPoint at) {  // of the picture that is on screen, at its own size
    const QImage& i = w->picture().shown().picture().image;
    const QRectF t = w->picture().canvas().target;
    return i.pixel(static_cast<int>((at.x() + 0.5 - t.x()) / t.width() * i.width()),
                   static_cast<int>((at.y() + 0.5 - t.y()) / t.height() * i.height()));
  }
  bool rested() {
    return QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 20000);
  }
};

TEST_F(Seeing, TheHistogramIsThatOfThePictureOnScreen) {
  ASSERT_TRUE(rested());
  auto counted = [&] {  // from the picture itself
    const QImage i = w->picture().shown().picture().image;
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
  EXPECT_NE(w->picture().shown().picture().tones->counts, plain->counts);
  session->look.set_value(Param::exposure, 1);
  EXPECT_NE(before_curve()->counts, plain->counts);
}

// Every column against the film itself: frames developed at full quality from their files.
TEST_F(Seeing, TonesOverTimeAreThoseOfTheDevelopedFrames) {
  session->document.edit("t", [](Shoot& s) {
    set_value(s, Param::exposure, 0, -1);
    set_value(s, Param::exposure, 47, 3);
  });
  w->timeline().tones_button->setChecked(true);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tones.up_to_date(); }, 20000));
  const Shoot& shoot = session->document.shoot();
  for (int frame : {0, 20, 47}) {
    FilmRecipe recipe = film_recipe(shoot, session->document.courses(), session->light.plan(),
                                    itself(frame), View{});
    const auto image = develop_film_frame(recipe);
    ASSERT_TRUE(image);
    const Histogram h = histogram_of(to_srgb8(*image));
    const ToneColumn* tones = session->tones.at(frame);
    ASSERT_NE(tones, nullptr);
    double all = 0, mean = 0, mean_here = 0, sum = 0;
    for (int i = 0; i < 256; ++i) {
      all += h.counts[Histogram::brightness][static_cast<std::size_t>(i)];
      mean += (i + 0.5) * h.counts[Histogram::brightness][static_cast<std::size_t>(i)];
    }
    for (int k = 0; k < ToneColumn::kBins; ++k) {
      sum += tones->spread[static_cast<std::size_t>(k)];
      mean_here += (4 * k + 2) * tones->spread[static_cast<std::size_t>(k)];
    }
    EXPECT_NEAR(sum, 1, 1e-4);
    EXPECT_NEAR(mean_here, mean / all, 4) << frame;
    EXPECT_NEAR(tones->clipped, h.clipped, 0.03) << frame;
    EXPECT_NEAR(tones->black, h.black, 0.03) << frame;
  }
  EXPECT_GT(session->tones.at(47)->clipped, 0.05f);
  EXPECT_LT(session->tones.at(0)->clipped, 0.02f);
}

TEST_F(Seeing, TonesOverTimeFollowTheLookAndAreSeen) {
  const QImage without = w->timeline().grab().toImage();
  key(Qt::Key_G);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tones.up_to_date(); }, 20000));
  const QImage with = w->timeline().grab().toImage();
  EXPECT_NE(with, without);
  const float before = session->tones.at(30)->clipped;
  session->look.set_value(Param::exposure, 4);
  EXPECT_FALSE(session->tones.up_to_date());
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tones.up_to_date(); }, 20000));
  EXPECT_GT(session->tones.at(30)->clipped, before + 0.2f);
  // A value at one end alone: where nothing changed nothing is made anew, and all is right.
  session->document.undo().undo();
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tones.up_to_date(); }, 20000));
  EXPECT_FLOAT_EQ(session->tones.at(30)->clipped, before);
  key(Qt::Key_G);
  EXPECT_EQ(session->tones.at(30), nullptr);
  w->timeline().grab();
  EXPECT_EQ(w->timeline().grab().toImage(), without);
}

TEST_F(Seeing, ClippingIsMarkedByShapeWhereItIs) {
  session->look.set_value(Param::exposure, 3);
  ASSERT_TRUE(rested());
  const QImage plain = w->picture().grab().toImage();
  key(Qt::Key_X);
  const QImage marked = w->picture().grab().toImage();
  const QRect on = w->picture().canvas().target.toRect().adjusted(80, 40, -80, -40);
  int clipped = 0, marks = 0, elsewhere = 0, coral = 0;
  for (int y = on.top(); y <= on.bottom(); ++y)
    for (int x = on.left(); x <= on.right(); ++x) {
      const QRgb c = shown_at({x, y});
      const bool lost =
          is_clipped(qRed(c), qGreen(c), qBlue(c)) || is_black(qRed(c), qGreen(c), qBlue(c));
      const bool changed = marked.pixel(x, y) != plain.pixel(x, y);
      clipped += lost;
      marks += lost && changed;
      elsewhere += !lost && changed;
      coral += marked.pixel(x, y) == colour::coral.rgb();
    }
  ASSERT_GT(clipped, 500);
  EXPECT_GT(marks, 0.95 * clipped);
  EXPECT_EQ(elsewhere, 0);
  // Stripes: half of it is the mark's colour.
  EXPECT_GT(coral, 0.3 * clipped);
  EXPECT_LT(coral, 0.7 * clipped);
  key(Qt::Key_X);
  EXPECT_EQ(w->picture().grab().toImage(), plain);
}

TEST_F(Seeing, ValuesBelowThePointerAreThoseOfPictureAndFile) {
  ASSERT_TRUE(rested());
  auto& view = w->picture();
  const QPoint at = view.canvas().target.center().toPoint() + QPoint(31, -41);
  QMouseEvent move(QEvent::MouseMove, at, view.mapToGlobal(at), Qt::NoButton, Qt::NoButton, {});
  QApplication::sendEvent(&view, &move);
  const auto pointed = view.pointed();
  ASSERT_TRUE(pointed);
  EXPECT_EQ(pointed->shown.rgb(), shown_at(at));
  // That is what is on screen, but for the smoothness of enlarging.
  EXPECT_NEAR(qGreen(view.grab().toImage().pixel(at)), qGreen(shown_at(at)), 25);
  ASSERT_TRUE(pointed->sensor);
  // The file's own numbers there.
  const QPointF place = view.canvas().to_frame(at);
  const auto& info = session->document.shoot().sequence.frames[0];
  const auto frame = read_frame(session->document.shoot().sequence.folder / info.file);
  ASSERT_TRUE(frame);
  const int sx = static_cast<int>(place.x() * frame->mosaic.width) & ~1,
            sy = static_cast<int>(place.y() * frame->mosaic.height) & ~1;
  const double green =
      std::log2(0.5 * (frame->mosaic.light(sx + 1, sy) + frame->mosaic.light(sx, sy + 1)));
  EXPECT_NEAR((*pointed->sensor)[1], green, 0.5);
  bool shown = false;
  for (auto* label : w->transport().findChildren<QLabel*>())
    shown |= label->text().contains(QString("%1 ").arg(pointed->shown.red())) &&
             label->text().contains("stops");
  EXPECT_TRUE(shown);
  QEvent leave(QEvent::Leave);
  QApplication::sendEvent(&view, &leave);
  EXPECT_FALSE(view.pointed());
}

TEST_F(Seeing, TheWheelZoomsAtThePointerAndTheMiddleButtonMoves) {
  auto& view = w->picture();
  const QPointF at = view.canvas().target.topLeft() + QPointF(200, 120);
  auto turn = [&](int by) {
    QWheelEvent e(at, view.mapToGlobal(at), {}, {0, by}, {}, {}, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&view, &e);
  };
  // 300 x 200 pixels fit enlarged three times: there is no step above. In a small view there is.
  w->resize(700, 620);
  view.setFixedSize(320, 200);
  QTest::qWait(20);
  const QPointF place = view.canvas().to_frame({150, 90});
  auto turn_there = [&](int by) {
    const QPointF there(150, 90);
    QWheelEvent e(there, view.mapToGlobal(there), {}, {0, by}, {}, {}, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&view, &e);
  };
  turn_there(120);
  EXPECT_EQ(view.zoom(), 1);
  EXPECT_NEAR(view.canvas().to_frame({150, 90}).x(), place.x(), 0.01);
  EXPECT_NEAR(view.canvas().to_frame({150, 90}).y(), place.y(), 0.01);
  turn_there(120);
  EXPECT_EQ(view.zoom(), 2);
  EXPECT_NEAR(view.canvas().to_frame({150, 90}).x(), place.x(), 0.01);
  EXPECT_EQ(find<QComboBox>("zoom")->currentText(), "200 %");
  turn_there(120);
  EXPECT_EQ(view.zoom(), 2) << "that is the most";
  // The middle button moves it.
  const QPointF before = view.canvas().to_frame({150, 90});
  QTest::mousePress(&view, Qt::MiddleButton, {}, {150, 90});
  QMouseEvent move(QEvent::MouseMove, QPointF(110, 90), view.mapToGlobal(QPointF(110, 90)),
                   Qt::NoButton, Qt::MiddleButton, {});
  QApplication::sendEvent(&view, &move);
  QTest::mouseRelease(&view, Qt::MiddleButton, {}, {110, 90});
  EXPECT_NEAR(view.canvas().to_frame({110, 90}).x(), before.x(), 0.01);
  for (int i = 0; i < 4; ++i) turn_there(-120);
  EXPECT_EQ(view.zoom(), Zoom::kFit);
  (void)turn;
}

TEST_F(Seeing, TheSeamComparesWithAPinnedFrameAndAKeptVersion) {
  auto& view = w->picture();
  auto half = [&](bool left) {  // its mean
    const QImage i = view.grab().toImage();
    const QRect t = view.canvas().target.toRect();
    double sum = 0;
    int n = 0;
    for (int y = t.top() + 60; y < t.bottom() - 60; y += 2)
      for (int x = 20; x < t.width() / 2 - 100; x += 2, ++n)
        sum += qGreen(i.pixel(left ? t.left() + x : t.right() - x, y));
    return sum / n;
  };
  auto ready = [&] {
    return QTest::qWaitFor(
        [&] {
          return view.shown().at_rest() &&
                 !w->preview().get(session->playhead.frame(), Rendering::compared, false).isNull();
        },
        20000);
  };
  ASSERT_TRUE(rested());
  session->compare.keep_version();
  EXPECT_TRUE(w->transport().seam_button->isChecked());
  ASSERT_TRUE(ready());
  const double left = half(true), right = half(false);
  session->look.set_value(Param::exposure, 2);
  ASSERT_TRUE(ready());
  EXPECT_NEAR(half(true), left, 1.5) << "the version stays";
  EXPECT_GT(half(false), right + 20) << "the look moves on";
  session->document.undo().undo();
  // A pinned frame: the evening's last.
  session->playhead.set_frame(47);
  session->compare.pin();
  ASSERT_TRUE(ready());
  const double night = half(true);
  session->playhead.set_frame(0);
  ASSERT_TRUE(ready());
  EXPECT_NEAR(half(true), night, 1.5);
  EXPECT_GT(std::fabs(half(false) - right), -1);
  EXPECT_NEAR(half(false), right, 2);
}

// A choice that moves on while pictures are being made leaves nothing behind that could not be
// made.
TEST_F(Seeing, ComparingMovesOnWhilePicturesAreMade) {
  for (int i = 0; i < 12; ++i) {
    session->playhead.set_frame(i);
    session->compare.keep_version();
    w->picture().repaint();
    session->look.set_value(Param::exposure, 0.1 * i);
    w->picture().repaint();
    session->compare.set_with(Compare::With::as_shot);
    QTest::qWait(3);
  }
  session->compare.pin();
  session->playhead.set_frame(20);
  open();  // another shoot: nothing is pinned
  EXPECT_EQ(session->compare.pinned(), -1);
  EXPECT_EQ(session->compare.with(), Compare::With::as_shot);
  ASSERT_TRUE(rested());
}

TEST_F(Seeing, WholeScreenIsThePicturePlayingAndEscapeReturns) {
  key(Qt::Key_F11);
  EXPECT_TRUE(w->whole_screen());
  EXPECT_TRUE(w->windowState() & Qt::WindowFullScreen);
  EXPECT_FALSE(w->timeline().isVisible());
  EXPECT_FALSE(w->rail().isVisible());
  EXPECT_FALSE(w->menus().isVisible());
  EXPECT_TRUE(find<QWidget>("thin_time")->isVisible());
  EXPECT_TRUE(w->transport().playing());
  EXPECT_TRUE(QTest::qWaitFor([&] { return w->picture().width() == w->width(); }, 5000));
  key(Qt::Key_Space);  // keys go on without their menus
  EXPECT_FALSE(w->transport().playing());
  auto* line = find<QWidget>("thin_time");
  click(line, {line->width() / 2, 3});
  EXPECT_NEAR(session->playhead.frame(), 24, 1);
  key(Qt::Key_Escape);
  EXPECT_FALSE(w->whole_screen());
  EXPECT_TRUE(w->timeline().isVisible());
  EXPECT_TRUE(w->menus().isVisible());
  EXPECT_FALSE(w->transport().playing());
}

}  // namespace
}  // namespace tsukimi::app
