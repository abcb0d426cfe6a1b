// SPDX-License-Identifier: GPL-3.0-or-later
// Checking frames in the real window: suspects, set aside, contact sheet, sequences, bringing in,
// watching.
#include <QDialog>
#include <QLineEdit>
#include <QListWidget>

#include "app/dialogs/bring_in_dialog.h"
#include "app/dialogs/open_dialog.h"
#include "app/window_fixture.h"
#include "document/values.h"

namespace tsukimi::app {
namespace {

// The harbour of the fixture has an aperture slip, headlights twice and a bump of the tripod.
class Frames : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    open();
    w->open_drawer(DrawerId::sequence);
    ASSERT_GE(session->light.suspects().size(), 3u);
  }
  int film_length() { return static_cast<int>(film_frames(session->document.shoot()).size()); }
};

TEST_F(Frames, TheUserWalksFromSuspectToSuspectAndDecides) {
  const auto suspects = session->light.suspects();
  const int n = static_cast<int>(suspects.size());
  EXPECT_TRUE(w->rail().attention(0));
  for (int k = 0; k < n; ++k) {
    key(Qt::Key_J);
    EXPECT_EQ(session->playhead.frame(), suspects[k].frame);
    key(k % 2 ? Qt::Key_Y : Qt::Key_A);
    EXPECT_EQ(session->checking.open_suspects(), n - 1 - k);
  }
  EXPECT_FALSE(w->rail().attention(0));
  for (int k = 0; k < n; ++k)
    EXPECT_EQ(is_set_aside(session->document.shoot(), suspects[k].frame), k % 2 == 0);
  key(Qt::Key_J);
  EXPECT_NE(w->message().indexOf("No suspects"), -1);
  // Undo of everything.
  for (int k = 0; k < n; ++k) key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(session->checking.open_suspects(), n);
  EXPECT_TRUE(session->document.decisions().set_aside.empty());
}

TEST_F(Frames, TheListAndItsButtonsDoTheSame) {
  auto* list = find<QListWidget>("suspects");
  ASSERT_EQ(list->count(), static_cast<int>(session->light.suspects().size()));
  QTest::mouseClick(list->viewport(), Qt::LeftButton, {},
                    list->visualItemRect(list->item(1)).center());
  const int frame = session->light.suspects()[1].frame;
  EXPECT_EQ(session->playhead.frame(), frame);
  click(find<QPushButton>("set_aside"));
  EXPECT_TRUE(is_set_aside(session->document.shoot(), frame));
  EXPECT_EQ(find<QPushButton>("set_aside")->text(), "Bring back");
  click(find<QPushButton>("set_aside"));
  EXPECT_FALSE(is_set_aside(session->document.shoot(), frame));
  click(find<QPushButton>("keep"));
  EXPECT_TRUE(is_looked_at(session->document.shoot(), frame));
  EXPECT_EQ(session->document.decisions().looked_at.size(), 1u);
  click(find<QPushButton>("suspect_after"));
  EXPECT_EQ(session->playhead.frame(), session->light.suspects()[2].frame);
}

TEST_F(Frames, WhatIsSetAsideIsFilledOrClosedUp) {
  const int all = film_length();
  session->playhead.set_frame(20);
  key(Qt::Key_A);
  EXPECT_EQ(film_length(), all);
  ASSERT_TRUE(settled());
  auto* policy = find<QComboBox>("aside_policy");
  policy->setCurrentIndex(2);
  emit policy->activated(2);
  EXPECT_EQ(session->document.decisions().aside, AsidePolicy::close_up);
  EXPECT_EQ(film_length(), all - 1);
}

TEST_F(Frames, AMadeFrameShowsWhatTheFilmShowsAndBShowsTheOriginal) {
  int flashed = -1;
  for (const auto& s : session->light.suspects())
    if (s.kind == SuspectKind::bright) flashed = s.frame;
  ASSERT_GE(flashed, 0);
  session->playhead.set_frame(flashed);
  ASSERT_TRUE(settled());
  QTest::qWait(50);
  const double ruined = brightness();
  key(Qt::Key_A);
  ASSERT_TRUE(settled());
  w->picture().grab();
  const double made = brightness();
  EXPECT_LT(made, ruined - 8);
  session->playhead.set_frame(flashed - 1);
  ASSERT_TRUE(settled());
  w->picture().grab();
  EXPECT_NEAR(made, brightness(), 4);
  session->playhead.set_frame(flashed);
  hold(Qt::Key_B);
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().grab(), brightness() > made + 8; }, 5000));
  let_go(Qt::Key_B);
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().grab(), brightness() < made + 4; }, 5000));
}

TEST_F(Frames, TheContactSheetShowsSelectsAndCommands) {
  key(Qt::Key_T);
  auto& sheet = w->sheet();
  ASSERT_TRUE(sheet.isVisible());
  EXPECT_EQ(sheet.model()->rowCount(), 48);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return !sheet.model()->index(0, 0).data(Qt::DecorationRole).value<QImage>().isNull(); },
      5000));
  auto at = [&](int row) { return sheet.visualRect(sheet.model()->index(row, 0)).center(); };
  sheet.scrollTo(sheet.model()->index(0, 0));
  QTest::mouseClick(sheet.viewport(), Qt::LeftButton, {}, at(1));
  EXPECT_EQ(session->playhead.frame(), 1);
  QTest::mouseClick(sheet.viewport(), Qt::LeftButton, Qt::ShiftModifier, at(4));
  EXPECT_EQ(session->playhead.selection(), (std::vector<int>{1, 2, 3, 4}));
  EXPECT_EQ(w->timeline().selection(), (std::pair<int, int>{1, 4}));
  QTest::mouseClick(sheet.viewport(), Qt::LeftButton, Qt::ControlModifier, at(2));
  key(Qt::Key_A);
  EXPECT_EQ(session->document.decisions().set_aside,
            (std::vector{FrameId{1}, FrameId{3}, FrameId{4}}));
  key(Qt::Key_A);
  EXPECT_TRUE(session->document.decisions().set_aside.empty());
  // A drag in the timeline is the same choice.
  auto& t = w->timeline();
  drag(&t, QPoint(static_cast<int>(t.x_of(10)), 40), QPoint(static_cast<int>(t.x_of(14)), 40));
  EXPECT_EQ(sheet.selectionModel()->selectedIndexes().size(), 5);
  key(Qt::Key_A);
  EXPECT_EQ(session->document.decisions().set_aside.size(), 5u);
}

TEST_F(Frames, ThumbnailsShowTheDevelopedLook) {
  auto thumbnail = [&] {
    QImage image;
    (void)QTest::qWaitFor(
        [&] { return !(image = w->preview().get(5, Rendering::thumbnail, false).image).isNull(); },
        5000);
    return qGreen(image.pixel(image.width() / 2, image.height() / 3));
  };
  const int before = thumbnail();
  session->document.edit("brighter", [](Shoot& s) { set_value(s, Param::exposure, 0, 1.5); });
  EXPECT_GT(thumbnail(), before + 20);
}

TEST_F(Frames, NeighboursStandBesideTheFrame) {
  session->playhead.set_frame(session->light.suspects()[1].frame);
  ASSERT_TRUE(settled());
  const QImage one = w->picture().grab().toImage();
  key(Qt::Key_N);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        const QImage three = w->picture().grab().toImage();
        auto lit = [&](double x) {
          return qGreen(three.pixel(static_cast<int>(x * three.width()), three.height() / 2)) > 30;
        };
        return lit(0.17) && lit(0.5) && lit(0.83);
      },
      5000));
  EXPECT_NE(w->picture().grab().toImage(), one);
}

TEST_F(Frames, AnOrderThatDisagreesIsShownAndCanBeChanged) {
  // The card's counter was reset: two frames carry names that come first but were taken last.
  fs::copy(harbour().folder, dir / "h", fs::copy_options::recursive);
  const auto frames = scan_folder(dir / "h")->frames;
  fs::rename(dir / "h" / frames[46].file, dir / "h" / "TSK_0001.dng");
  fs::rename(dir / "h" / frames[47].file, dir / "h" / "TSK_0002.dng");
  open(dir / "h");
  auto* order = find<QComboBox>("order");
  ASSERT_TRUE(order->isVisible());
  EXPECT_EQ(session->document.shoot().sequence.frames[0].file, "TSK_0001.dng");
  session->document.edit("aside", [](Shoot& s) { set_aside(s, {0}, true); });
  order->setCurrentIndex(1);
  emit order->activated(1);
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().sequence.frames[46].file, "TSK_0001.dng");
  EXPECT_TRUE(is_set_aside(session->document.shoot(), 46));
  EXPECT_FALSE(is_set_aside(session->document.shoot(), 0));
  session->document.undo().undo();
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().sequence.frames[0].file, "TSK_0001.dng");
  EXPECT_TRUE(is_set_aside(session->document.shoot(), 0));
  EXPECT_FALSE(is_set_aside(session->document.shoot(), 46));
}

TEST_F(Frames, NewFramesJoinWhileTheCameraShoots) {
  fs::create_directories(dir / "live");
  const auto frames = scan_folder(harbour().folder)->frames;
  for (int i = 0; i < 12; ++i)
    fs::copy(harbour().folder / frames[i].file, dir / "live" / frames[i].file);
  open(dir / "live");
  session->playhead.set_frame(11);
  toggle("watch");
  EXPECT_TRUE(session->folder.watching());
  for (int i = 12; i < 15; ++i)
    fs::copy(harbour().folder / frames[i].file, dir / "live" / frames[i].file);
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return session->document.shoot().frame_count() == 15; }, 10000));
  EXPECT_EQ(session->playhead.frame(), 14) << "who looks at the last frame follows";
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->light.plan().as_shot.size() == 15; }, 10000));
  EXPECT_EQ(w->sheet().model()->rowCount(), 15);
  toggle("watch");
  EXPECT_FALSE(session->folder.watching());
}

// ---- sequences and cards ---------------------------------------------------------------------

const fs::path& card() {
  static const TempDir dir;
  static const fs::path folder = [] {
    EXPECT_TRUE(sim::simulate_card(dir / "card", 9, {240, 160}));
    return dir / "card";
  }();
  return folder;
}

TEST_F(Window, AFolderWithSeveralSequencesOffersThem) {
  w->open(card() / "DCIM" / "100TSUKI");
  OpenDialog* dialog = nullptr;
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return (dialog = w->findChild<OpenDialog*>()) != nullptr; }, 10000));
  auto* list = dialog->findChild<QListWidget*>("sequences");
  ASSERT_EQ(list->count(), 3);
  // By hand: the ferry's last frames are a sequence of their own.
  list->setCurrentRow(2);
  dialog->findChild<QSpinBox*>("count")->setValue(15);
  QTest::mouseClick(dialog->findChild<QPushButton*>("split"), Qt::LeftButton);
  ASSERT_EQ(list->count(), 4);
  list->setCurrentRow(2);
  QTest::mouseClick(dialog->findChild<QPushButton*>("primary"), Qt::LeftButton);
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().frame_count(), 15);
  EXPECT_EQ(session->document.shoot().sequence.frames[0].file, "TSK_0006.dng");
  // Saved and opened again it is that sequence, without asking.
  save(dir / "ferry.tsukimi");
  open(dir / "ferry.tsukimi");
  EXPECT_EQ(session->document.shoot().frame_count(), 15);
}

// Another order, or another shoot: the sheet's keys go on from the frame that is looked at.
TEST_F(Window, TheSheetStandsWhereThePlayheadIs) {
  w->transport().sheet_button->setChecked(true);
  open();
  EXPECT_EQ(w->sheet().currentIndex().row(), session->playhead.frame());
  session->playhead.set_frame(20);
  session->checking.set_order(FrameOrder::time);
  EXPECT_EQ(w->sheet().currentIndex().row(), 20);
  QTest::keyClick(&w->sheet(), Qt::Key_Right);
  EXPECT_EQ(session->playhead.frame(), 21);
}

TEST_F(Window, AChoiceOfFramesBelongsToItsOrder) {
  open();
  session->playhead.set_frame(12);
  session->playhead.select({3, 4, 5});
  session->checking.set_order(FrameOrder::time);
  EXPECT_TRUE(session->playhead.selection().empty());
  EXPECT_EQ(session->playhead.frame(), 12);
  session->playhead.select({3, 4, 5});
  open();  // another shoot begins at its first frame
  EXPECT_TRUE(session->playhead.selection().empty());
  EXPECT_EQ(session->playhead.frame(), 0);
}

// The lanes' picture is kept between steps of the playhead, but not when anything in it changes.
TEST_F(Window, TheTimelineAndTheRunsShowWhatIsDecided) {
  open();
  w->open_drawer(DrawerId::look);
  session->playhead.set_frame(20);
  auto seen = [&](QWidget& widget) { return widget.grab().toImage(); };
  auto* exposure = find<Ruler>("exposure");
  const QImage lanes = seen(w->timeline());
  session->playhead.set_frame(30);
  session->playhead.set_frame(20);
  EXPECT_EQ(seen(w->timeline()), lanes);
  session->document.edit("aside", [](Shoot& s) { set_aside(s, {33}, true); });
  EXPECT_NE(seen(w->timeline()), lanes);
  session->document.undo().undo();
  ASSERT_TRUE(settled());
  EXPECT_EQ(seen(w->timeline()), lanes);
  session->document.edit("level", [](Shoot& s) { s.decisions.level.on = true; });
  ASSERT_TRUE(settled());
  EXPECT_NE(seen(w->timeline()), lanes);
  session->look.set_value(Param::exposure, 0);  // a key frame
  const QImage flat = seen(*exposure);
  session->document.edit("run", [](Shoot& s) { set_value(s, Param::exposure, 40, 1); });
  EXPECT_NE(seen(*exposure), flat);
}

TEST_F(Window, BringsInFromACard) {
  BringInDialog* dialog = w->bring_in(card());
  auto* list = dialog->findChild<QListWidget*>("sequences");
  ASSERT_TRUE(QTest::qWaitFor([&] { return list->count() == 3; }, 10000));
  auto* start = dialog->findChild<QPushButton*>("primary");
  EXPECT_FALSE(start->isEnabled()) << "no folder yet";
  list->item(1)->setCheckState(Qt::Unchecked);
  list->item(2)->setCheckState(Qt::Unchecked);
  dialog->findChild<QLineEdit*>("to")->setText(QString::fromStdString((dir / "quay").string()));
  ASSERT_TRUE(start->isEnabled());
  QTest::mouseClick(start, Qt::LeftButton);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.is_open(); }, 20000));
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().frame_count(), 26);
  EXPECT_EQ(session->document.shoot().sequence.folder, dir / "quay");
}

// While a choice is asked for, the picture of what is being opened stands there; given up, it goes.
TEST_F(Window, AFirstPictureOfAFolderIsShown) {
  w->open(card() / "DCIM" / "100TSUKI");
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->opener.first_look().width() > 100; }, 10000));
  OpenDialog* dialog = nullptr;
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return (dialog = w->findChild<OpenDialog*>()) != nullptr; }, 10000));
  EXPECT_FALSE(session->opener.first_look().isNull());
  const QImage with = w->picture().grab().toImage();
  dialog->reject();
  EXPECT_TRUE(session->opener.first_look().isNull());
  EXPECT_NE(w->picture().grab().toImage(), with);
}

TEST_F(Window, PairsOfRawAndStillAreOffered) {
  fs::create_directories(dir / "p");
  const auto frames = scan_folder(harbour().folder)->frames;
  for (int i = 0; i < 8; ++i) {
    fs::copy(harbour().folder / frames[i].file, dir / "p" / frames[i].file);
    QImage picture(300, 200, QImage::Format_RGB32);
    picture.fill(QColor(90, 100, 110));
    picture.save(
        QString::fromStdString((dir / "p" / fs::path(frames[i].file).stem()).string() + ".jpg"));
  }
  w->open(dir / "p");
  OpenDialog* dialog = nullptr;
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return (dialog = w->findChild<OpenDialog*>()) != nullptr; }, 10000));
  QTest::mouseClick(dialog->findChild<QPushButton*>("other_pairs"), Qt::LeftButton);
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.shoot().frame_count(), 8);
  EXPECT_TRUE(session->document.shoot().sequence.frames[0].file.ends_with(".jpg"));
}

}  // namespace
}  // namespace tsukimi::app
