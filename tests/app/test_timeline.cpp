// SPDX-License-Identifier: GPL-3.0-or-later
// The overview below the lanes: which part of the shoot they show.
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class Overviewing : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    open();
  }
  Timeline& time() { return w->timeline(); }
  int y() { return time().height() - 16; }  // of the strip
  int x_of_strip(double frame) {            // all frames, with the lanes' inset
    const double left = 62 + 9, right = time().width() - 14 - 9;
    return static_cast<int>(std::lround(left + frame / 47 * (right - left)));
  }
  double shown() {  // frames
    return time().frame_at(time().width() - 24) - time().frame_at(72);
  }
  void zoom(int notches) {
    const QPointF at(time().width() / 2.0, 60);
    for (int i = 0; i < notches; ++i) {
      QWheelEvent e(at, time().mapToGlobal(at), {}, {0, 120}, {}, {}, Qt::NoScrollPhase, false);
      QApplication::sendEvent(&time(), &e);
    }
  }
};

TEST_F(Overviewing, ItsWindowIsDraggedAndItsEndsToo) {
  EXPECT_NEAR(shown(), 47, 1);
  zoom(4);
  const double width = shown();
  EXPECT_LT(width, 25);
  const int first = time().frame_at(72);
  drag(&time(), {x_of_strip(24), y()}, {x_of_strip(34), y()});
  EXPECT_NEAR(time().frame_at(72), first + 10, 1);
  EXPECT_NEAR(shown(), width, 1.1);
  EXPECT_EQ(session->playhead.frame(), 0) << "only the view moves";
  // Its left end.
  const int left = time().frame_at(72), right = time().frame_at(time().width() - 24);
  drag(&time(), {x_of_strip(left), y()}, {x_of_strip(left - 8), y()});
  EXPECT_NEAR(time().frame_at(72), left - 8, 1);
  EXPECT_NEAR(time().frame_at(time().width() - 24), right, 1);
  // Beside it: it comes.
  zoom(3);
  click(&time(), {x_of_strip(2), y()});
  EXPECT_LE(time().frame_at(72), 2);
}

TEST_F(Overviewing, ADoubleClickShowsAll) {
  zoom(5);
  EXPECT_LT(shown(), 20);
  QTest::mouseDClick(&time(), Qt::LeftButton, {}, QPoint(time().width() / 2, 60));
  EXPECT_NEAR(shown(), 47, 1);
}

}  // namespace
}  // namespace tsukimi::app
