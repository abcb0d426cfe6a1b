// SPDX-License-Identifier: GPL-3.0-or-later
// Key frames in the timeline, proposals, carrying, saved looks: in the real window.
#include <QMenu>

#include "app/widgets/moon.h"
#include "document/values.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class Keys : public Window {
 protected:
  TempDir data;
  void clear_queue() override {}  // a folder of its own, new
  void SetUp() override {
    setenv("XDG_DATA_HOME", data.path().c_str(), 1);
    Window::SetUp();
    open();
  }
  void TearDown() override {
    Window::TearDown();
    test::own_folders.use();
  }
  Timeline& time() { return w->timeline(); }
  QPoint disc(int frame) {
    return {static_cast<int>(std::lround(time().x_of(frame))),
            static_cast<int>(time().key_frames().bottom()) - 6};
  }
  std::vector<int> keys() { return key_places(session->document.shoot()); }
  void three() {
    session->document.edit("t", [](Shoot& s) {
      for (int f : {0, 20, 47}) set_value(s, Param::exposure, f, f == 20 ? 1.5 : 0);
    });
  }
  double exposure(int frame) { return session->document.course().at(Param::exposure, frame); }
  QListWidget* list(const char* name) { return find<QListWidget>(name); }
  void tick(QListWidgetItem* item) {
    item->setCheckState(item->checkState() == Qt::Checked ? Qt::Unchecked : Qt::Checked);
  }
};

TEST_F(Keys, AClickGoesThereAndADragTakesTheKeyFrameToAnotherFrame) {
  three();
  click(&time(), disc(20));
  EXPECT_EQ(session->playhead.frame(), 20);
  ASSERT_TRUE(settled());
  const double here = brightness();
  drag(&time(), disc(20), disc(32));
  EXPECT_EQ(keys(), (std::vector<int>{0, 32, 47}));
  EXPECT_EQ(session->playhead.frame(), 32);
  EXPECT_DOUBLE_EQ(exposure(32), 1.5);
  EXPECT_LT(exposure(20), 1.45);
  EXPECT_TRUE(session->playhead.selection().empty()) << "no range was chosen";
  session->playhead.set_frame(20);
  ASSERT_TRUE(settled());
  EXPECT_NE(brightness(), here) << "the frame that it left looks otherwise";
  session->document.undo().undo();
  EXPECT_EQ(keys(), (std::vector<int>{0, 20, 47})) << "one step of undo for the whole drag";
  // Not onto another one: it stays beside it.
  drag(&time(), disc(20), disc(47));
  EXPECT_EQ(keys().size(), 3u);
  // By keys.
  session->document.undo().undo();
  session->playhead.set_frame(20);
  key(Qt::Key_Right, Qt::ControlModifier);
  EXPECT_EQ(keys(), (std::vector<int>{0, 21, 47}));
  EXPECT_EQ(session->playhead.frame(), 21);
}

TEST_F(Keys, EasingIsChangedByKeyAndMenuAndSeen) {
  three();
  session->playhead.set_frame(20);
  ASSERT_TRUE(settled());
  const QImage full = time().grab().toImage();
  auto* ruler = find<Ruler>("exposure");
  const QImage run = ruler->grab().toImage();
  key(Qt::Key_E);
  EXPECT_EQ(easing_at(session->document.shoot(), 20), Easing::straight);
  EXPECT_NE(time().grab().toImage(), full);
  EXPECT_NE(ruler->grab().toImage(), run);
  // The context menu: Hold.
  QContextMenuEvent e(QContextMenuEvent::Mouse, disc(20), time().mapToGlobal(disc(20)));
  QApplication::sendEvent(&time(), &e);
  auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
  ASSERT_NE(menu, nullptr);
  for (QAction* a : menu->actions())
    if (a->text().startsWith("Hold")) a->trigger();
  menu->close();
  EXPECT_EQ(easing_at(session->document.shoot(), 20), Easing::hold);
  EXPECT_DOUBLE_EQ(exposure(40), 1.5) << "it holds until the next";
  session->document.undo().undo();
  session->document.undo().undo();
  EXPECT_EQ(easing_at(session->document.shoot(), 20), Easing::smooth);
  // Between key frames there is nothing to ease, and it is said.
  session->playhead.set_frame(10);
  key(Qt::Key_E);
  EXPECT_TRUE(w->message().contains("no key frame here")) << w->message().toStdString();
}

// Each phase can be told from the others without colour.
TEST_F(Keys, ThePhasesDiffer) {
  std::vector<double> light;
  for (Easing easing : kEasings) {
    QImage i(40, 40, QImage::Format_RGB32);
    i.fill(Qt::black);
    QPainter p(&i);
    paint_moon(p, {20, 20}, 16, easing, Qt::white, Qt::black);
    p.end();
    double sum = 0;
    for (int y = 0; y < 40; ++y)
      for (int x = 0; x < 40; ++x) sum += qGray(i.pixel(x, y)) / 255.0;
    light.push_back(sum / (std::numbers::pi * 16 * 16));
  }
  EXPECT_GT(light[0], 0.95);  // full
  for (std::size_t k = 1; k < light.size(); ++k) EXPECT_LT(light[k], light[k - 1] - 0.12);
}

TEST_F(Keys, TheFilmsEndsAreDragged) {
  const QRectF lane = time().key_frames();
  auto end = [&](int frame) {
    return QPoint(static_cast<int>(std::lround(time().x_of(frame))),
                  static_cast<int>(lane.bottom()) + 16);
  };
  drag(&time(), end(0), end(8));
  EXPECT_EQ(session->document.decisions().in, 8);
  drag(&time(), end(47), end(40));
  EXPECT_EQ(session->document.decisions().out, 40);
  drag(&time(), end(40), end(47));
  EXPECT_EQ(session->document.decisions().out, -1) << "to the end";
  session->document.undo().undo();
  session->document.undo().undo();
  session->document.undo().undo();
  EXPECT_EQ(session->document.decisions().in, 0);
}

TEST_F(Keys, ProposalsAreSeenWithTheirReasonsAndMadeWhenAccepted) {
  session->document.edit("k", [](Shoot& s) { add_key(s, 0); });
  const QImage before = time().grab().toImage();
  key(Qt::Key_K, Qt::ControlModifier);
  auto* proposed = list("proposed");
  ASSERT_TRUE(QTest::qWaitFor([&] { return proposed->count() > 0; }, 20000));
  EXPECT_EQ(keys(), std::vector<int>{0}) << "nothing is made yet";
  EXPECT_NE(time().grab().toImage(), before) << "the places stand in the timeline";
  QStringList words;
  for (int i = 0; i < proposed->count(); ++i) words << proposed->item(i)->text();
  EXPECT_TRUE(words.join("|").contains("last frame")) << words.join("|").toStdString();
  EXPECT_FALSE(words.join("|").contains("first frame")) << "there is one";
  EXPECT_TRUE(proposed->parentWidget() != nullptr);
  // Fewer.
  const int many = proposed->count();
  find<Ruler>("proposed_most")->setFocus();
  for (int i = 0; i < 4; ++i) QTest::keyClick(find<Ruler>("proposed_most"), Qt::Key_Down);
  EXPECT_EQ(proposed->count(), 1) << many;
  for (int i = 0; i < 9; ++i) QTest::keyClick(find<Ruler>("proposed_most"), Qt::Key_Up);
  ASSERT_GE(proposed->count(), 2);
  // One is not wanted.
  const int skipped = session->keys.proposed()[0].frame;
  tick(proposed->item(0));
  const auto all = session->keys.proposed();
  click(find<QPushButton>("make_keys"));
  EXPECT_EQ(keys().size(), all.size());  // with the one that was there, without the skipped one
  EXPECT_FALSE(has_key(session->document.shoot(), skipped));
  EXPECT_TRUE(session->keys.proposed().empty());
  EXPECT_TRUE(find<QPushButton>("propose_keys")->isVisible()) << "back at the look";
  session->document.undo().undo();
  EXPECT_EQ(keys(), std::vector<int>{0}) << "one step";
}

TEST_F(Keys, WhereThereIsNothingToProposeItSaysSo) {
  session->document.edit("k", [](Shoot& s) {
    for (int f = 0; f < 48; f += 4) add_key(s, f);
  });
  key(Qt::Key_K, Qt::ControlModifier);
  auto says = [&] {
    for (auto* label : w->findChildren<QLabel*>())
      if (label->isVisible() && label->text().contains("are enough")) return true;
    return false;
  };
  EXPECT_TRUE(QTest::qWaitFor(says, 20000));
  EXPECT_FALSE(find<QPushButton>("make_keys")->isEnabled());
}

TEST_F(Keys, ProposalsGoWhenThePanelIsLeft) {
  key(Qt::Key_K, Qt::ControlModifier);
  ASSERT_TRUE(QTest::qWaitFor([&] { return !session->keys.proposed().empty(); }, 20000));
  w->open_drawer(DrawerId::steps);
  EXPECT_TRUE(session->keys.proposed().empty());
  EXPECT_TRUE(keys().empty());
}

TEST_F(Keys, PartsAreCarriedOntoChosenKeyFramesAfterBeingListed) {
  three();
  session->document.edit("t", [](Shoot& s) { set_value(s, Param::shadows, 20, 35); });
  session->playhead.set_frame(20);
  ASSERT_TRUE(settled());
  key(Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
  auto* changes = list("carry_changes");
  EXPECT_EQ(list("carry_onto")->count(), 2);
  EXPECT_EQ(changes->count(), 4) << "exposure and shadows, onto two";
  // Not the exposure.
  auto* parts = find<QTreeWidget>("carry_parts");
  auto* light = parts->topLevelItem(0);
  ASSERT_EQ(light->child(0)->text(0), "Exposure");
  light->child(0)->setCheckState(0, Qt::Unchecked);
  EXPECT_EQ(light->checkState(0), Qt::PartiallyChecked);
  EXPECT_EQ(changes->count(), 2);
  click(find<QPushButton>("carry_after"));
  ASSERT_EQ(changes->count(), 1);
  EXPECT_TRUE(changes->item(0)->text().contains("48")) << changes->item(0)->text().toStdString();
  EXPECT_TRUE(changes->item(0)->text().contains("0 → +35"));
  click(find<QPushButton>("carry_now"));
  const Course& course = session->document.course();
  EXPECT_DOUBLE_EQ(course.at(Param::shadows, 47), 35);
  EXPECT_DOUBLE_EQ(course.at(Param::shadows, 0), 0);
  EXPECT_DOUBLE_EQ(course.at(Param::exposure, 47), 0);
  session->document.undo().undo();
  EXPECT_DOUBLE_EQ(session->document.course().at(Param::shadows, 47), 0);
}

TEST_F(Keys, ASavedLookIsTriedByPointingAndAppliedByAClick) {
  ASSERT_TRUE(settled());
  const double plain = brightness();
  const auto version = session->document.version();
  key(Qt::Key_L, Qt::ControlModifier);
  auto* looks = find<QTreeWidget>("looks");
  ASSERT_TRUE(settled());
  QTreeWidgetItem* night = looks->topLevelItem(0)->child(4);
  ASSERT_EQ(night->text(0), "Deep night");
  const QPoint at = looks->visualItemRect(night).center();
  QMouseEvent move(QEvent::MouseMove, at, looks->viewport()->mapToGlobal(at), Qt::NoButton,
                   Qt::NoButton, {});
  QApplication::sendEvent(looks->viewport(), &move);
  ASSERT_TRUE(settled());
  EXPECT_NE(brightness(), plain) << "it is seen";
  EXPECT_EQ(session->document.version(), version) << "and nothing is decided";
  QEvent leave(QEvent::Leave);
  QApplication::sendEvent(looks->viewport(), &leave);
  ASSERT_TRUE(settled());
  EXPECT_DOUBLE_EQ(brightness(), plain);
  // At another frame it is not worn any more.
  QApplication::sendEvent(looks->viewport(), &move);
  EXPECT_TRUE(session->look.tried().has_value());
  session->playhead.set_frame(1);
  EXPECT_FALSE(session->look.tried().has_value());
  session->playhead.set_frame(0);
  // In part.
  looks->setCurrentItem(night);
  auto* sets = list("look_sets");
  for (int i = 0; i < sets->count(); ++i)
    if (!sets->item(i)->text().startsWith("Contrast")) tick(sets->item(i));
  click(find<QPushButton>("apply_look"));
  const Values look = session->document.course().at(0);
  EXPECT_DOUBLE_EQ(look[Param::contrast], 28);
  EXPECT_DOUBLE_EQ(look[Param::noise], 0);
  ASSERT_TRUE(settled());
  EXPECT_NE(brightness(), plain);
  EXPECT_FALSE(session->look.tried().has_value());
}

// Places that a saved look brings are seen while it is pointed at, as they will be.
TEST_F(Keys, WhatIsTriedBringsItsPlaces) {
  ASSERT_TRUE(settled());
  const double plain = brightness();
  SavedLook saved;
  saved.name = "Dark middle";
  saved.places.push_back(new_place("middle", ShapeKind::ellipse, FrameId{0}));
  saved.places[0].values.keys[0].values[Param::place_exposure] = -2;
  session->look.try_on(saved, {});
  ASSERT_TRUE(settled());
  const double tried = brightness();
  EXPECT_LT(tried, 0.985 * plain);
  EXPECT_TRUE(session->document.decisions().places.empty()) << "nothing is decided";
  session->look.stop_trying();
  ASSERT_TRUE(settled());
  EXPECT_DOUBLE_EQ(brightness(), plain);
  session->look.apply(saved, {});
  ASSERT_TRUE(settled());
  EXPECT_DOUBLE_EQ(brightness(), tried);
}

// Clear air needs the light of the air, which no saved look can know: it is measured while trying.
TEST_F(Keys, WhatIsTriedLooksAsItWillWhenApplied) {
  ASSERT_TRUE(settled());
  key(Qt::Key_L, Qt::ControlModifier);
  auto* looks = find<QTreeWidget>("looks");
  QTreeWidgetItem* clear = looks->topLevelItem(0)->child(0);
  ASSERT_EQ(clear->text(0), "Clear day");
  looks->setCurrentItem(clear);
  ASSERT_TRUE(session->look.tried().has_value());
  ASSERT_NE((*session->look.tried())[Param::haze], 0);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        return (*session->look.tried())[Param::airlight_blue] != info(Param::airlight_blue).preset;
      },
      10000));
  ASSERT_TRUE(settled());
  const Values tried = *session->look.tried();
  click(find<QPushButton>("apply_look"));
  ASSERT_TRUE(settled());
  EXPECT_EQ(session->document.course().at(0), tried);
}

TEST_F(Keys, ALookIsKeptUnderANameWithoutItsExposure) {
  session->look.set_value(Param::exposure, 2);
  session->look.set_value(Param::tint, 9);
  key(Qt::Key_L, Qt::ControlModifier);
  ASSERT_TRUE(settled());
  auto* save = find<QPushButton>("save_look");
  EXPECT_FALSE(save->isEnabled()) << "it needs a name";
  QTest::keyClicks(find<QLineEdit>("look_name"), "Mole");
  QTest::keyClicks(find<QLineEdit>("look_group"), "Mine");
  click(save);
  auto* looks = find<QTreeWidget>("looks");
  ASSERT_TRUE(QTest::qWaitFor([&] { return looks->topLevelItemCount() == 3; }, 10000));
  EXPECT_EQ(looks->topLevelItem(2)->child(0)->text(0), "Mole");
  const auto file = read_look(data / "tsukimi/looks/mole.json");
  ASSERT_TRUE(file) << file.error().message;
  EXPECT_EQ(file->values, (std::vector<std::pair<Param, double>>{{Param::tint, 9}}));
  // And taken away again; ours cannot be.
  looks->setCurrentItem(looks->topLevelItem(0)->child(0));
  EXPECT_FALSE(find<QPushButton>("remove_look")->isEnabled());
  looks->setCurrentItem(looks->topLevelItem(2)->child(0));
  click(find<QPushButton>("remove_look"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return looks->topLevelItemCount() == 2; }, 10000));
  EXPECT_FALSE(fs::exists(data / "tsukimi/looks/mole.json"));
}

}  // namespace
}  // namespace tsukimi::app
