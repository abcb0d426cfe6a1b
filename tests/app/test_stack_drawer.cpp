// SPDX-License-Identifier: GPL-3.0-or-later
// Brackets in the window: found when a folder is opened, mended by hand, merged in what is
// exported.
#include <QMenu>

#include "window_fixture.h"

namespace tsukimi::app {

class Brackets : public Window {
 protected:
  static sim::CameraOptions camera() {
    sim::CameraOptions c;
    c.frames = 10;
    c.bracket = 3;
    c.seed = 51;
    c.gap = c.ruined = c.wrong_aperture = false;
    return c;
  }
  const SmallShoot dawn{camera()};
  const Shoot& shoot() { return session->document.shoot(); }
};

TEST_F(Brackets, OpenTheStackDrawerAndAreMerged) {
  open(dawn.folder);
  EXPECT_EQ(w->rail().current(), static_cast<int>(DrawerId::stack));
  EXPECT_EQ(shoot().frame_count(), 10);
  EXPECT_TRUE(shoot().sequence.frames[4].is_merged());
  EXPECT_EQ(session->light.plan().merging.size(), 10u);
  auto* size = find<QComboBox>("set_size");
  EXPECT_EQ(size->currentData().toInt(), 3);
  // Every shot a frame, at the same moment of the shoot; and back.
  session->playhead.set_frame(4);
  const std::string here = shoot().sequence.frames[4].file;
  size->setCurrentIndex(0);
  emit size->activated(0);
  EXPECT_EQ(shoot().frame_count(), 30);
  EXPECT_EQ(shoot().sequence.frames[session->playhead.frame()].file, here);
  // Undone where only there are so many frames.
  session->playhead.set_frame(25);
  session->document.undo().undo();
  EXPECT_EQ(shoot().frame_count(), 10);
  EXPECT_EQ(session->playhead.frame(), 9);
  EXPECT_EQ(shoot().sequence.frames[4].others.size(), 2u);
}

TEST_F(Brackets, OneShotOfEachIsTakenFromTheList) {
  open(dawn.folder);
  auto* frame = find<QComboBox>("bracket_frame");
  ASSERT_EQ(frame->count(), 4);
  emit frame->activated(3);
  EXPECT_EQ(shoot().frame_count(), 10);
  EXPECT_FALSE(shoot().sequence.frames[4].is_merged());
  EXPECT_EQ(shoot().sequence.frames[4].others.size(), 2u);
  EXPECT_GT(exact_gain(shoot().sequence.frames[4]),
            exact_gain(shoot().sequence.frames[4].others[0]) + 1.5);
  EXPECT_EQ(frame->currentIndex(), 3);
}

TEST_F(Brackets, APauseThatIsDraggedPartsThemWhenTheHandRests) {
  open(dawn.folder);
  const double found = session->stack.brackets().pause;
  ASSERT_GT(found, 1);
  auto* pause = w->findChild<Ruler*>("pause");
  const QPoint at = pause->scale_rect().center();
  // So far that no pause is that long: all shots would be one moment.
  drag(pause, at + QPoint(110, 0), at - QPoint(110, 0));
  EXPECT_EQ(shoot().frame_count(), 10) << "not while it is dragged";
  ASSERT_TRUE(QTest::qWaitFor([&] { return shoot().frame_count() != 10; }, 5000));
  EXPECT_GT(session->stack.brackets().pause, found + 5);
  session->document.undo().undo();
  EXPECT_EQ(shoot().frame_count(), 10);
  EXPECT_NEAR(session->stack.brackets().pause, found, 1e-9);
  EXPECT_FALSE(session->document.undo().canUndo()) << "a drag is one step";
}

// What a frame is made of is no adjustment.
TEST_F(Brackets, StayWhenAllIsStartedOver) {
  open(dawn.folder);
  session->document.edit("aside", [](Shoot& s) { set_aside(s, {2}, true); });
  session->document.start_over();
  EXPECT_EQ(shoot().frame_count(), 10);
  EXPECT_TRUE(shoot().decisions.set_aside.empty());
}

TEST_F(Brackets, AShotIsMovedToItsMoment) {
  // The middle shot of the fourth moment never was: a list of one, and a click goes there.
  std::vector<fs::path> files(fs::directory_iterator(dawn.folder), {});
  std::ranges::sort(files);
  fs::remove(files[3 * 3 + 1]);
  open(dawn.folder);
  auto* irregular = find<QListWidget>("irregular");
  ASSERT_EQ(irregular->count(), 1);
  EXPECT_TRUE(irregular->item(0)->text().contains("the middle one is missing"));
  click(irregular->viewport(), irregular->visualItemRect(irregular->item(0)).center());
  EXPECT_EQ(session->playhead.frame(), 3);
  auto* shots = find<QListWidget>("shots");
  ASSERT_EQ(shots->count(), 2);
  // Its first shot to the moment before, which has four then.
  click(shots->viewport(), shots->visualItemRect(shots->item(0)).center());
  const std::string moved = shoot().sequence.frames[3].others.empty()
                                ? shoot().sequence.frames[3].file
                                : first_file(shoot().sequence.frames[3]);
  click(find<QPushButton>("shot_before"));
  ASSERT_EQ(shoot().sequence.frames[2].others.size(), 3u);
  EXPECT_EQ(last_file(shoot().sequence.frames[2]), moved);
  EXPECT_EQ(irregular->count(), 2);
  session->document.undo().undo();
  EXPECT_EQ(shoot().sequence.frames[2].others.size(), 2u);
  EXPECT_EQ(irregular->count(), 1);
}

// A shutter that was two stops too slow for the middle shot: light that clips there is in the
// darkest, and merged it is in what is exported.
TEST_F(Brackets, ExportedFramesHaveTheLightOfAllShots) {
  open(dawn.folder);
  const auto highest = [&](int exposure) {
    session->stack.set_exposure(exposure);
    EXPECT_TRUE(settled());
    Shoot copy = shoot();
    for (KeyFrame& k : copy.decisions.look.keys) k.values[Param::exposure] = -2;
    if (copy.decisions.look.keys.empty())
      copy.decisions.look
          .at(copy.sequence.id_of(0), neutral_look(copy.as_shot.kelvin, copy.as_shot.tint))
          .values[Param::exposure] = -2;
    const auto picture = develop_film_frame(
        film_recipe(copy, courses_of(copy), session->light.plan(), film_frames(copy).front(), {}));
    EXPECT_TRUE(picture);
    float most = 0;
    for (float v : picture->planes[1].data) most = std::max(most, v);
    return most;
  };
  EXPECT_GT(highest(0), 1.5f * highest(2));
}

TEST_F(Brackets, MergedFramesAreWrittenBesideTheShoot) {
  open(dawn.folder);
  session->document.edit("aside", [](Shoot& s) { set_aside(s, {2}, true); });
  auto* write = find<QPushButton>("write_merged");
  ASSERT_EQ(write->menu()->actions().size(), 2);
  write->menu()->actions()[1]->trigger();
  EXPECT_FALSE(write->isEnabled());
  ASSERT_TRUE(QTest::qWaitFor([&] { return !session->exports.running(); }, 60000));
  ASSERT_TRUE(session->exports.last());
  EXPECT_EQ(session->exports.last()->problem, "");
  const fs::path folder = dawn.folder.string() + "-merged";
  int files = 0;
  for (const auto& file : fs::directory_iterator(folder))
    files += file.path().extension() == ".dng";
  EXPECT_EQ(files, 9) << "those that are kept";
  EXPECT_TRUE(write->isEnabled());
  EXPECT_TRUE(session->exports.last()->job.merged);
}

TEST_F(Brackets, ShotsAreLaidOntoEachOther) {
  // Another camera: wind between the shots.
  sim::CameraOptions windy = camera();
  windy.wobble = true;
  windy.shaking = 3;
  windy.seed = 52;
  const SmallShoot wind{windy};
  open(wind.folder);
  const auto lies = [&] { return shoot().sequence.frames[3].others[0]; };
  EXPECT_EQ(lies().dx, 0);
  toggle("align");
  EXPECT_FALSE(find<QCheckBox>("align")->isEnabled()) << "while it is measured";
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->stack.brackets().aligned; }, 20000));
  EXPECT_GE(session->stack.brackets().offsets.size(), 15u);
  EXPECT_EQ(shoot().frame_count(), 10);
  EXPECT_GT(std::hypot(lies().dx, lies().dy), 0.3);
  EXPECT_TRUE(find<QCheckBox>("align")->isChecked());
  session->document.undo().undo();
  EXPECT_FALSE(session->stack.brackets().aligned);
  EXPECT_FALSE(find<QCheckBox>("align")->isChecked());
  EXPECT_EQ(lies().dx, 0);
}

}  // namespace tsukimi::app
