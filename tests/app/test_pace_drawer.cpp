// SPDX-License-Identifier: GPL-3.0-or-later
// Pace by the hands of a user: speed with key frames, a length, what is between, fades.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QDoubleSpinBox>

#include "app/drawers/keyed_ruler.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class PaceWindow : public Window {
 protected:
  void open_pace() {
    open();
    w->open_drawer(DrawerId::pace);
    ASSERT_TRUE(settled());
  }
  const Pace& pace() { return session->document.decisions().pace; }
  int film() { return session->document.courses().film.count(); }
  void choose(const char* box, int index) {
    auto* list = find<QComboBox>(box);
    list->setCurrentIndex(index);
    emit list->activated(index);
  }
  Ruler* ruler(const char* name) { return find<Ruler>(name); }
};

TEST_F(PaceWindow, SpeedHasKeyFramesAndTheFilmItsLengthAtOnce) {
  open_pace();
  EXPECT_EQ(film(), 48);
  emit ruler("speed")->edited(0.5, 1);
  EXPECT_EQ(pace().speed.keys.size(), 1u);
  EXPECT_EQ(film(), 95);
  bool said = false;
  for (QLabel* label : w->findChildren<QLabel*>())
    said |= label->isVisible() && label->text().contains("48 frames") &&
            label->text().contains("95 of the film");
  EXPECT_TRUE(said) << "frames of the sequence and of the film are told apart";
  // Key frames in hand are those of the speed.
  session->playhead.set_frame(30);
  key(Qt::Key_K);
  EXPECT_EQ(session->keys.frames(), (std::vector<int>{0, 30}));
  emit ruler("speed")->edited(2, 2);
  EXPECT_LT(film(), 95);
  EXPECT_GT(film(), 24);
  session->document.undo().undo();
  EXPECT_EQ(film(), 95);
  session->document.undo().undo();
  session->document.undo().undo();
  EXPECT_EQ(film(), 48);
}

TEST_F(PaceWindow, AFilmIsFittedToALength) {
  open_pace();
  click(find<QCheckBox>("fit_length"), QPoint(10, find<QCheckBox>("fit_length")->height() / 2));
  EXPECT_NEAR(pace().length, 2, 1e-9);
  find<QDoubleSpinBox>("length")->setValue(5);
  EXPECT_EQ(film(), 120);
  choose("rate", 7);  // 30 fps
  EXPECT_EQ(session->document.decisions().fps, 30);
  EXPECT_EQ(film(), 150);
  session->document.undo().undo();
  EXPECT_EQ(film(), 120);
}

TEST_F(PaceWindow, WhatLiesBetweenTwoFramesIsPlayedAndItsNumberSaid) {
  open_pace();
  emit ruler("speed")->edited(0.25, 1);
  ASSERT_TRUE(settled());
  session->playhead.set_moment({10, 42});  // half way to frame 11
  auto live = [&] { return w->preview().get(session->playhead.moment(), Rendering::live, false); };
  ASSERT_TRUE(QTest::qWaitFor([&] { return !live().isNull(); }, 10000));
  auto at = [&](int frame) { return w->preview().get(frame, Rendering::live, false); };
  ASSERT_TRUE(QTest::qWaitFor([&] { return !at(10).isNull() && !at(11).isNull(); }, 10000));
  EXPECT_NE(live().image, at(10).image);
  EXPECT_NE(live().image, at(11).image);
  bool said = false;
  for (QLabel* label : w->findChildren<QLabel*>()) said |= label->text().contains("film 43 of");
  EXPECT_TRUE(said);
  // With the arrows it goes on from the frame of the sequence.
  key(Qt::Key_Right);
  EXPECT_EQ(session->playhead.moment(), (Moment{11}));
}

// Slow motion is taken back while one of its frames is looked at: the frame of the sequence that is
// said is the one that is seen.
TEST_F(PaceWindow, AnotherPaceLeavesTheFrameThatIsSaid) {
  open_pace();
  auto looked_at = [&] {
    const auto get = [&] {
      return w->preview().get(session->playhead.moment(), Rendering::live, false);
    };
    EXPECT_TRUE(QTest::qWaitFor([&] { return !get().isNull(); }, 10000));
    return get().image;
  };
  session->playhead.set_frame(20);
  const auto alone = looked_at();
  session->playhead.set_frame(0);
  emit ruler("speed")->edited(0.5, 1);
  session->playhead.set_moment({20, 41});
  ASSERT_TRUE(settled());
  session->document.undo().undo();
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->playhead.frame(), 20);
  EXPECT_EQ(session->playhead.moment().film, -1);
  EXPECT_EQ(looked_at(), alone) << "not the film's 42nd, which is another one now";
}

TEST_F(PaceWindow, BlurAndFadesAreSetAndSeen) {
  open_pace();
  session->playhead.set_frame(0);
  ASSERT_TRUE(settled());
  const double bright = brightness();
  click(find<QToolButton>("pace_ends"));
  emit ruler("fade_in")->edited(1, 1);
  EXPECT_EQ(pace().fade_in, 1);
  ASSERT_TRUE(settled());
  EXPECT_LT(brightness(), 0.05 * bright);
  choose("fade_to", 1);
  ASSERT_TRUE(settled());
  EXPECT_GT(brightness(), 250);
  click(find<QToolButton>("pace_between"));
  emit ruler("blur")->edited(360, 1);
  EXPECT_EQ(pace().blur, 360);
  EXPECT_EQ(session->document.courses().film[20].parts.size(), 3u);
  choose("slower", 1);
  choose("faster", 1);
  EXPECT_EQ(pace().slower, Slower::dissolve);
  EXPECT_EQ(pace().faster, Faster::average);
  for (int i = 0; i < 5; ++i) session->document.undo().undo();
  EXPECT_EQ(pace(), Pace{});
}

}  // namespace
}  // namespace tsukimi::app
