// SPDX-License-Identifier: GPL-3.0-or-later
// Framing by the hands of a user: the crop and its handles, a line along the horizon, a glide, a
// tripod that is held still.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QMenu>
#include <QRadioButton>
#include <QSpinBox>

#include "app/drawers/framing_drawer.h"
#include "app/picture/canvas.h"
#include "document/framing/output_size.h"
#include "motion/track.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class FramingWindow : public Window {
 protected:
  void open_framing(const fs::path& path = harbour().folder) {
    open(path);
    w->open_drawer(DrawerId::framing);
    ASSERT_TRUE(settled());
  }
  const Framing& framing() { return session->document.decisions().framing; }
  const FramingCourse& course() { return session->document.courses().framing; }
  QPoint at(double x, double y) { return w->picture().canvas().at(x, y).toPoint(); }
  // Where the crop of this frame has that part of itself, on the picture.
  QPoint on_crop(double u, double v) {
    const Point p =
        course()
            .all_of_crop(course().time(session->playhead.frame()), session->playhead.frame())
            .at(u, v);
    return at(p.x, p.y);
  }
  void choose(const char* box, int index) {
    auto* list = find<QComboBox>(box);
    list->setCurrentIndex(index);
    emit list->activated(index);
  }
  void page(const char* name) { click(find<QToolButton>(name)); }
  void undo() { session->document.undo().undo(); }
};

TEST_F(FramingWindow, CornersSidesAndInsideAreDragged) {
  open_framing();
  choose("aspect", 1);  // 16:9
  ASSERT_EQ(framing().aspect, "16:9");
  const double shape = shape_of_crop(session->document.shoot());
  const Rect before = framing().crop;
  drag(&w->picture(), on_crop(1, 1), on_crop(0.7, 0.7));
  EXPECT_NEAR(framing().crop.w, 0.7, 0.02);
  EXPECT_NEAR(framing().crop.x, before.x, 0.005) << "what lies opposite stays";
  EXPECT_NEAR(framing().crop.y, before.y, 0.005);
  EXPECT_NEAR(shape_of_crop(session->document.shoot()), shape, 1e-6);
  const Rect small = framing().crop;
  drag(&w->picture(), on_crop(0.5, 0.5), on_crop(0.5, 0.5) + QPoint(40, 25));
  EXPECT_GT(framing().crop.x, small.x + 0.02);
  EXPECT_GT(framing().crop.y, small.y + 0.02);
  EXPECT_NEAR(framing().crop.w, small.w, 1e-9);
  // One drag is one step of undo.
  undo();
  EXPECT_EQ(framing().crop, small);
  undo();
  EXPECT_EQ(framing().crop, before);
  // Free: a side alone.
  choose("aspect", 7);
  EXPECT_TRUE(framing().aspect.empty());
  drag(&w->picture(), on_crop(1, 0.5), on_crop(0.5, 0.5));
  EXPECT_NEAR(framing().crop.w, 0.5, 0.02);
  EXPECT_NEAR(framing().crop.h, before.h, 1e-6);
  // Numbers do the same, and nothing lies beyond the frame.
  find<QSpinBox>("crop_left")->setValue(290);
  EXPECT_NEAR(framing().crop.x + framing().crop.w, 1, 1e-9);
  find<QSpinBox>("crop_width")->setValue(30);
  EXPECT_NEAR(framing().crop.w, 0.1, 1e-6);
}

TEST_F(FramingWindow, ALineAlongTheHorizonStraightensAndTheCropIsSaidToShrink) {
  open_framing();
  click(find<QPushButton>("level_line"));
  EXPECT_EQ(session->framing.drawing(), FramingWork::Drawing::level);
  // Three degrees down to the right.
  const double down = 0.6 * 1.5 * std::tan(3 * 3.14159265 / 180);
  drag(&w->picture(), at(0.2, 0.5), at(0.8, 0.5 + down));
  EXPECT_NEAR(framing().straighten, 3, 0.15);
  EXPECT_EQ(session->framing.drawing(), FramingWork::Drawing::none);
  EXPECT_LT(course().fit(), 0.95);
  bool said = false;
  for (QLabel* label : w->findChildren<QLabel*>())
    said |= label->isVisible() && label->text().contains("smaller for the turn");
  EXPECT_TRUE(said);
  // The film is turned, without empty corners: what was the line is level.
  w->open_drawer(DrawerId::look);
  ASSERT_TRUE(settled());
  const Canvas canvas = w->picture().canvas();
  const QPointF a = canvas.at(0.4, 0.5), b = canvas.at(0.6, 0.5 + down / 3);
  EXPECT_NEAR(a.y(), b.y(), 0.6);
  EXPECT_NEAR(canvas.turned(), -framing().straighten, 1e-6);
  undo();
  EXPECT_EQ(framing().straighten, 0);
}

TEST_F(FramingWindow, AGlideIsProposedSeenAndChanged) {
  open_framing();
  page("framing_glide");
  auto* menu = find<QPushButton>("propose_glide")->menu();
  ASSERT_TRUE(menu);
  menu->actions().at(2)->trigger();  // pan to the left
  session->playhead.set_frame(0);
  // A key frame elsewhere on the way is gone to by a click.
  const Point last = course().all_of_crop(course().time(47), 0).at(0.5, 0.5);
  QTest::mouseClick(&w->picture(), Qt::LeftButton, {}, at(last.x, last.y));
  EXPECT_EQ(session->playhead.frame(), 47);
  undo();
  menu->actions().at(0)->trigger();  // push in
  ASSERT_EQ(framing().glide.keys.size(), 2u);
  EXPECT_EQ(session->keys.frames(), (std::vector<int>{0, 47}));
  // Another place of the crop half way is a key frame there.
  session->playhead.set_frame(20);
  drag(&w->picture(), on_crop(0.5, 0.5), on_crop(0.5, 0.5) - QPoint(30, 0));
  EXPECT_EQ(framing().glide.keys.size(), 3u);
  EXPECT_TRUE(session->keys.has(20));
  const CropAt made = course().crop(20);
  session->playhead.set_frame(47);
  EXPECT_NEAR(course().crop(47).w, 0.8, 1e-9);
  // The film's picture is what the crop has at each frame.
  w->open_drawer(DrawerId::look);
  for (int frame : {0, 20, 47}) {
    session->playhead.set_frame(frame);
    ASSERT_TRUE(settled());
    const Placement shown = w->picture().canvas().shown;
    EXPECT_NEAR(shown.right.x, course().crop(frame).w, 1e-6) << frame;
    const Picture live = w->preview().get(frame, Rendering::live);
    EXPECT_EQ(live.shows.corner.x, shown.corner.x);
    EXPECT_EQ(live.shows.right.x, shown.right.x);
  }
  EXPECT_NE(made.x, course().crop(0).x);
  // Key frames of the glide belong to this drawer.
  EXPECT_TRUE(session->keys.frames().empty());
  w->open_drawer(DrawerId::framing);
  session->playhead.set_frame(20);
  key(Qt::Key_K);
  EXPECT_EQ(framing().glide.keys.size(), 2u);
  toggle("glide_rests");
  EXPECT_EQ(framing().glide.keys[0].easing, Easing::smooth);
  click(find<QPushButton>("end_glide"));
  EXPECT_TRUE(framing().glide.keys.empty());
  EXPECT_LT(framing().crop.w, 1) << "it stays where it was";
  undo();
  EXPECT_EQ(framing().glide.keys.size(), 2u);
}

// A shaken tripod: the picture on screen stands, and the drawer says what it costs.
TEST_F(FramingWindow, AShakenTripodIsHeldStill) {
  static const SmallShoot shaken([] {
    sim::CameraOptions c;
    c.frames = 16;
    c.seed = 87;
    c.shaking = 3;
    c.turn = 0.2;
    c.ruined = c.wrong_aperture = false;
    return c;
  }());
  open_framing(shaken.folder);
  page("framing_steady");
  click(find<QRadioButton>("steady_hold"), QPoint(8, 10));
  EXPECT_EQ(framing().steady.how, Steadying::hold);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.shoot().motion != nullptr; }, 30000));
  ASSERT_TRUE(settled());
  EXPECT_TRUE(course().steadied());
  EXPECT_LT(course().fit(), 0.98);
  EXPECT_NE(find<QPushButton>("follow_area"), nullptr);
  // On the film a place of the scene stays where it is, as the truth has it.
  std::ifstream in(shaken.truth_file);
  const auto truth = nlohmann::json::parse(in).at("frames");
  w->open_drawer(DrawerId::look);
  QPointF first;
  for (int frame = 0; frame < 16; ++frame) {
    session->playhead.set_frame(frame);
    const auto& shot = truth[static_cast<std::size_t>(frame)];
    const double a = -shot["turn"].get<double>() * 3.14159265 / 180,
                 x = 40 - shot["wobble"][0].get<double>(), y = 10 - shot["wobble"][1].get<double>();
    const Canvas canvas = w->picture().canvas();
    const QPointF there = canvas.at((x * std::cos(a) - y * std::sin(a)) / 300 + 0.5,
                                    (x * std::sin(a) + y * std::cos(a)) / 200 + 0.5);
    if (frame == 0) first = there;
    const double per = canvas.frame_width() / 300;  // of the widget for one of the frame
    EXPECT_LT(std::hypot(there.x() - first.x(), there.y() - first.y()) / per, 0.9) << frame;
  }
  // An area that is drawn is followed, and that is measured anew.
  w->open_drawer(DrawerId::framing);
  const auto before = session->document.shoot().motion;
  click(find<QPushButton>("follow_area"));
  drag(&w->picture(), at(0.1, 0.25), at(0.7, 0.6));
  ASSERT_EQ(framing().steady.areas.size(), 1u);
  EXPECT_NEAR(framing().steady.areas[0].x, 0.1, 0.02);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.shoot().motion != before; }, 30000));
  EXPECT_EQ(session->document.shoot().motion->areas, framing().steady.areas);
  undo();
  EXPECT_TRUE(framing().steady.areas.empty());
  undo();
  EXPECT_EQ(framing().steady.how, Steadying::off);
  EXPECT_FALSE(course().steadied());
}

}  // namespace
}  // namespace tsukimi::app
