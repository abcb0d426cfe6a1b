// SPDX-License-Identifier: GPL-3.0-or-later
// Saving where somebody else has written meanwhile: by the command line, or in another window.
#include "document/files/shoot_file.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class Saving : public Window {
 protected:
  fs::path file;
  int asked = 0;
  KeptChanges answer = KeptChanges::neither;
  void SetUp() override {
    Window::SetUp();
    file = dir / "evening.tsukimi";
    open();
    save(file);
    w->how_to_save = [this](const QString& name) {
      EXPECT_TRUE(name.contains("evening.tsukimi"));
      ++asked;
      return answer;
    };
  }
  // As `carry` does.
  void change_elsewhere(double fps) {
    auto theirs = *open_shoot(file);
    theirs.decisions.fps = fps;
    ASSERT_TRUE(save_shoot(theirs, file));
  }
  void change_here(double fps) {
    session->document.edit("rate", [&](Shoot& s) { s.decisions.fps = fps; });
  }
  void press_save() {
    const int before = asked;
    key(Qt::Key_S, Qt::ControlModifier);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
          return !session->document.saving() &&
                 (asked > before || !session->document.has_unsaved());
        },
        10000));
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return !session->document.saving() && session->tasks.idle(); }, 20000));
  }
  double on_disk(const fs::path& path) { return open_shoot(path)->decisions.fps; }
};

TEST_F(Saving, AsksWhenTheFileWasChangedElsewhere) {
  change_here(25);
  change_elsewhere(30);
  press_save();
  EXPECT_EQ(asked, 1);
  EXPECT_EQ(on_disk(file), 30) << "nothing was written yet";
  EXPECT_TRUE(session->document.has_unsaved());
  EXPECT_EQ(session->document.decisions().fps, 25);
  answer = KeptChanges::mine;
  press_save();
  EXPECT_EQ(on_disk(file), 25);
  EXPECT_FALSE(session->document.has_unsaved());
  // From then on it is known.
  change_here(50);
  press_save();
  EXPECT_EQ(asked, 2);
  EXPECT_EQ(on_disk(file), 50);
}

TEST_F(Saving, TakesWhatIsThereOrSavesBesideIt) {
  change_here(25);
  change_elsewhere(30);
  answer = KeptChanges::beside;
  press_save();
  EXPECT_EQ(on_disk(file), 30);
  EXPECT_EQ(on_disk(dir / "evening-2.tsukimi"), 25);
  EXPECT_EQ(session->document.file(), dir / "evening-2.tsukimi");
  open(file);
  change_here(60);
  change_elsewhere(48);
  answer = KeptChanges::theirs;
  press_save();
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.decisions().fps == 48; }, 20000));
  EXPECT_FALSE(session->document.has_unsaved());
  EXPECT_EQ(on_disk(file), 48);
  EXPECT_EQ(session->document.file(), file);
}

}  // namespace
}  // namespace tsukimi::app
