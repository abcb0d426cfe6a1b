// SPDX-License-Identifier: GPL-3.0-or-later
// The Look drawer: pages, the tone curve, the hue ring, the air, proposals.
#include <QClipboard>
#include <QContextMenuEvent>
#include <QMenu>
#include <QScrollBar>

#include "adjustments.h"
#include "app/drawers/curve_view.h"
#include "app/drawers/ring_view.h"
#include "app/window_fixture.h"

namespace tsukimi::app {
namespace {

class LookDrawing : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    open();
    w->open_drawer(DrawerId::look);
  }
  void page(const char* name) {
    click(find<QToolButton>((std::string("page_") + name).c_str()));
    QApplication::processEvents();
  }
  double value(Param p) { return session->document.course().at(p, session->playhead.frame()); }
};

TEST_F(LookDrawing, EveryRowOfTheTableHasItsRuler) {
  for (const auto& row : kLook.rows()) {
    const std::string name = row.name;
    if (name.starts_with("airlight") || name.ends_with("_at"))
      continue;  // measured; moved on the ring
    EXPECT_NE(w->findChild<Ruler*>(row.name), nullptr) << name;
  }
}

// Typed into its ruler as a person would: the picture follows, one undo brings it back.
TEST_F(LookDrawing, EveryRulerChangesThePictureAndUndoTakesItBack) {
  auto seen = [&] {
    EXPECT_TRUE(settled());
    return w->preview().get(session->playhead.frame(), Rendering::live, false).image;
  };
  std::vector<std::pair<const char*, int>> pages;  // and the point of the ring that is picked
  for (const char* name : look_pages()) pages.emplace_back(name, 0);
  for (int handle : {RingView::kShadows, RingView::kHighlights})
    pages.emplace_back("Colours", handle);
  std::set<Param> seen_to_change;
  for (const auto& [name, point] : pages) {
    page(QString(name).toLower().toUtf8());
    find<RingView>("ring")->pick(point);
    std::pair last(-1, -1);
    for (const auto& row : kLook.rows()) {
      if (std::string_view(row.place.page) != name || !find<Ruler>(row.name)->isVisible()) continue;
      const Param p = row.id;
      // On its page, in the order of the table: down, and along a row.
      const QPoint at = find<Ruler>(row.name)->pos();
      const std::pair here(at.y(), at.x());
      EXPECT_GT(here, std::exchange(last, here)) << row.name;
      if (!seen_to_change.insert(p).second) continue;
      if (p == Param::hot_pixels) continue;  // these frames have none
      for (const auto& [other, v] : test::beside(row)) session->look.set_value(other, v);
      const QImage before = seen();
      const double old = value(p);
      auto* ruler = find<Ruler>(row.name);
      ASSERT_TRUE(ruler->isVisible()) << row.name;
      ruler->setFocus();
      QTest::keyClick(ruler, Qt::Key_Return);
      auto* typed = ruler->findChild<QLineEdit*>("typed");
      ASSERT_NE(typed, nullptr) << row.name;
      typed->setText(QString::number(test::shown_value(row)));
      QTest::keyClick(typed, Qt::Key_Return);
      EXPECT_NEAR(value(p), test::shown_value(row), row.step) << row.name;
      EXPECT_NE(seen(), before) << row.name;
      key(Qt::Key_Z, Qt::ControlModifier);
      EXPECT_EQ(value(p), old) << row.name;
      EXPECT_EQ(seen(), before) << row.name;
    }
  }
  for (Param p : {Param::shadow_strength, Param::highlight_strength, Param::split_balance})
    EXPECT_TRUE(seen_to_change.contains(p));
}

TEST_F(LookDrawing, PagesFitTheDrawerWithoutScrolling) {
  auto* drawer = find<QScrollArea>("drawer_look");
  for (const char* name : {"light", "tones", "colours", "detail", "lens"}) {
    page(name);
    EXPECT_LE(drawer->widget()->width(), drawer->viewport()->width()) << name;
    EXPECT_EQ(drawer->verticalScrollBar()->maximum(), 0) << name << ": at 1280x800 nothing scrolls";
    EXPECT_LE(drawer->widget()->minimumSizeHint().width(), drawer->viewport()->width()) << name;
  }
}

TEST_F(LookDrawing, DraggingACurvePointBendsThePictureAndIsOneUndo) {
  page("tones");
  ASSERT_TRUE(settled());
  w->picture().grab();
  const double before = brightness();
  auto* curve = find<CurveView>("curve");
  const QPoint from = curve->place_of(2).toPoint();
  drag(curve, from, from - QPoint(0, 40));
  EXPECT_GT(value(curve_param(0, 4)), 65);
  EXPECT_NEAR(value(curve_param(0, 3)), 50, 2);
  EXPECT_NEAR(curve->place_of(2).y(), from.y() - 40, 2);
  ASSERT_TRUE(settled());
  w->picture().grab();
  EXPECT_GT(brightness(), before + 10);
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(value(curve_param(0, 4)), 50);
}

TEST_F(LookDrawing, ThePickedPointShowsItsRulersOfItsChannel) {
  page("tones");
  auto* curve = find<CurveView>("curve");
  EXPECT_TRUE(find<Ruler>("tone_curve_2_out")->isVisible());
  EXPECT_FALSE(find<Ruler>("tone_curve_3_out")->isVisible());
  click(curve, curve->place_of(3).toPoint());
  EXPECT_TRUE(find<Ruler>("tone_curve_3_out")->isVisible());
  EXPECT_FALSE(find<Ruler>("tone_curve_2_out")->isVisible());
  click(find<QToolButton>("channel_3"));
  EXPECT_TRUE(find<Ruler>("tone_curve_blue_3_out")->isVisible());
  const QPoint from = curve->place_of(4).toPoint();  // white
  drag(curve, from, from + QPoint(0, 50));
  EXPECT_LT(value(curve_param(3, kCurveNumbers - 1)), 80);
  EXPECT_EQ(value(curve_param(0, kCurveNumbers - 1)), 100);
}

// What the menu of a ruler does, each one step of undo.
TEST_F(LookDrawing, ARulersMenuResetsCarriesAndEvens) {
  for (int frame : {0, 20, 40}) {
    session->playhead.set_frame(frame);
    session->look.set_value(Param::exposure, frame == 20 ? 2 : 0.5);
    session->look.set_value(Param::contrast, 30);
  }
  session->playhead.set_frame(20);
  page("light");
  auto* ruler = find<Ruler>("exposure");
  auto choose = [&](const QString& text) {
    QContextMenuEvent e(QContextMenuEvent::Mouse, ruler->scale_rect().center(),
                        ruler->mapToGlobal(ruler->scale_rect().center()));
    QApplication::sendEvent(ruler, &e);
    auto* menu = w->findChild<QMenu*>("ruler_menu");
    ASSERT_NE(menu, nullptr);
    for (auto* action : menu->actions())
      if (action->text() == text) {
        EXPECT_TRUE(action->isEnabled()) << text.toStdString();
        action->trigger();
      }
    delete menu;
  };
  auto keys = [&] {
    std::vector<double> out;
    for (const auto& k : session->document.decisions().look.keys)
      out.push_back(k.values[Param::exposure]);
    return out;
  };
  using Values = std::vector<double>;
  choose("Make even between its neighbours");
  EXPECT_NEAR(keys()[1], 0.5, 1e-9);
  session->document.undo().undo();
  EXPECT_EQ(keys(), (Values{0.5, 2, 0.5}));
  choose("Carry to all key frames");
  EXPECT_EQ(keys(), (Values{2, 2, 2}));
  session->document.undo().undo();
  choose("Reset here");
  EXPECT_EQ(keys(), (Values{0.5, 0, 0.5}));
  session->document.undo().undo();
  choose("Reset at all key frames");
  EXPECT_EQ(keys(), (Values{0, 0, 0}));
  session->document.undo().undo();
  toggle("move_all");  // "here" is here all the same
  choose("Make even between its neighbours");
  EXPECT_EQ(keys(), (Values{0.5, 0.5, 0.5}));
  session->document.undo().undo();
  choose("Reset here");
  EXPECT_EQ(keys(), (Values{0.5, 0, 0.5}));
  session->document.undo().undo();
  toggle("move_all");
  choose("Copy as --set text");
  EXPECT_EQ(QApplication::clipboard()->text(), "--set exposure=2.00@20");
  for (const auto& k : session->document.decisions().look.keys)
    EXPECT_EQ(k.values[Param::contrast], 30) << "nothing else moves";
}

TEST_F(LookDrawing, MovingAllKeyFramesSaysHowMany) {
  for (int frame : {0, 20, 40}) {
    session->playhead.set_frame(frame);
    session->look.set_value(Param::exposure, 0.1 * frame);
  }
  toggle("move_all");
  bool told = false;
  for (auto* l : find<QScrollArea>("drawer_look")->findChildren<QLabel*>())
    told |= l->text() == "moves 3";
  EXPECT_TRUE(told);
  auto* ruler = find<Ruler>("exposure");
  ruler->setFocus();
  QTest::keyClick(ruler, Qt::Key_Up);
  const auto& keys = session->document.decisions().look.keys;
  EXPECT_NEAR(keys[0].values[Param::exposure], 0.05, 1e-9);
  EXPECT_NEAR(keys[1].values[Param::exposure], 2.05, 1e-9);
  EXPECT_NEAR(keys[2].values[Param::exposure], 4.05, 1e-9);
}

TEST_F(LookDrawing, TabsSayWhereSomethingWasChanged) {
  auto marked = [&](const char* name) {
    return find<QToolButton>((std::string("page_") + name).c_str())->property("changed").toBool();
  };
  for (const char* name : {"light", "tones", "colours", "detail", "lens"})
    EXPECT_FALSE(marked(name)) << name;
  session->keys.toggle();
  for (const char* name : {"light", "tones", "colours", "detail", "lens"})
    EXPECT_FALSE(marked(name)) << name << ": a key frame alone changes nothing";
  session->look.set_value(Param::shadows, 12);
  EXPECT_TRUE(marked("tones"));
  EXPECT_FALSE(marked("light"));
  session->playhead.set_frame(30);  // wherever one stands
  EXPECT_TRUE(marked("tones"));
  session->document.undo().undo();
  EXPECT_FALSE(marked("tones"));
}

// The wedges say which tones a ruler moves: by its own value, and which it would move.
TEST_F(LookDrawing, WedgesShowWhatTheirRulersDo) {
  page("tones");
  const char* const names[] = {"black_point", "shadows", "contrast", "highlights", "white_point"};
  std::vector<double> where;  // along the wedge, where tones are moved
  for (const char* name : names) {
    const QImage wedge = find<Ruler>(name)->wedge();
    ASSERT_EQ(wedge.size(), Ruler::kWedge) << name;
    EXPECT_LT(qGray(wedge.pixel(0, 0)), 3) << name;
    EXPECT_GT(qGray(wedge.pixel(95, 0)), 252) << name;
    double sum = 0, weight = 0;
    for (int x = 0; x < 96; ++x) {
      const double a = qAlpha(wedge.pixel(x, 9));
      sum += a * x, weight += a;
    }
    ASSERT_GT(weight, 0) << name;
    where.push_back(sum / weight);
  }
  EXPECT_LT(where[0], where[3]);
  EXPECT_LT(where[1], where[3] - 10) << "shadows lie left of highlights";
  EXPECT_LT(where[0], where[4] - 10);
  const QImage before = find<Ruler>("shadows")->wedge();
  session->look.set_value(Param::shadows, 80);
  QApplication::processEvents();
  const QImage after = find<Ruler>("shadows")->wedge();
  EXPECT_GT(qGray(after.pixel(25, 0)), qGray(before.pixel(25, 0)) + 10);
  EXPECT_NEAR(qGray(after.pixel(90, 0)), qGray(before.pixel(90, 0)), 4);
}

TEST_F(LookDrawing, ASplitToneIsDraggedOnTheRingAndIsOneUndo) {
  page("colours");
  auto* ring = find<RingView>("ring");
  const QPointF from = ring->place_of(RingView::kHighlights);
  const QPointF middle = QRectF(ring->rect()).center();
  drag(ring, from.toPoint(), (middle + QPointF(-30, 0)).toPoint());
  EXPECT_NEAR(value(Param::highlight_hue), 180, 3);
  EXPECT_NEAR(value(Param::highlight_strength), 68, 6);
  EXPECT_EQ(value(Param::shadow_strength), 0);
  EXPECT_TRUE(find<Ruler>("highlight_strength")->isVisible());
  EXPECT_TRUE(find<Ruler>("split_balance")->isVisible());
  EXPECT_FALSE(find<Ruler>("shadow_strength")->isVisible());
  EXPECT_FALSE(find<Ruler>("hue_ring_1_hue")->isVisible());
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(value(Param::highlight_strength), 0);
  EXPECT_EQ(value(Param::highlight_hue), info(Param::highlight_hue).preset);
}

TEST_F(LookDrawing, ARingPointIsMovedAndChangesItsHueOnly) {
  page("colours");
  auto* ring = find<RingView>("ring");
  EXPECT_TRUE(find<Ruler>("hue_ring_1_saturation")->isVisible());
  click(ring, ring->place_of(4).toPoint());  // blue
  ASSERT_TRUE(find<Ruler>("hue_ring_5_saturation")->isVisible());
  EXPECT_FALSE(find<Ruler>("hue_ring_1_saturation")->isVisible());
  auto* ruler = find<Ruler>("hue_ring_5_saturation");
  for (int i = 0; i < 5; ++i) QTest::keyClick(ruler, Qt::Key_Down);
  EXPECT_EQ(value(ring_param(4, RingNumber::saturation)), -5);
  const double at = value(ring_param(4, RingNumber::at));
  const QPointF place = ring->place_of(4);
  drag(ring, place.toPoint(), (place + QPointF(30, 10)).toPoint());
  EXPECT_GT(value(ring_param(4, RingNumber::at)), at + 10);
  EXPECT_EQ(value(ring_param(3, RingNumber::at)), info(ring_param(3, RingNumber::at)).preset);
}

TEST_F(LookDrawing, TheAirIsMeasuredWhenHazeBeginsAndKept) {
  ASSERT_TRUE(settled());
  const double before = value(Param::airlight_red);
  EXPECT_FALSE(find<QPushButton>("measure_air")->isVisible());
  session->look.set_value(Param::haze, 30);
  ASSERT_TRUE(QTest::qWaitFor([&] { return value(Param::airlight_red) != before; }, 5000));
  const double measured = value(Param::airlight_red);
  QApplication::processEvents();
  EXPECT_TRUE(find<QPushButton>("measure_air")->isVisible());
  session->look.set_value(Param::haze, 50);
  EXPECT_EQ(value(Param::airlight_red), measured);
  session->document.undo().undo();  // haze and its air are one step
  EXPECT_EQ(value(Param::haze), 0);
  EXPECT_EQ(value(Param::airlight_red), before);
  // Taken back before the measuring has ended, nothing comes after it.
  session->look.set_value(Param::haze, 20);
  session->document.undo().undo();
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tasks.idle(); }, 5000));
  EXPECT_EQ(value(Param::airlight_red), before);
}

TEST_F(LookDrawing, AProposalIsPlainValuesThatUndoTakesBack) {
  session->playhead.set_frame(40);
  ASSERT_TRUE(settled());
  w->picture().grab();
  const double before = brightness();
  click(find<QPushButton>("propose_look"));
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return !session->document.decisions().look.keys.empty(); }, 10000));
  EXPECT_GT(value(Param::exposure), 0.2) << "the evening is dark";
  EXPECT_EQ(key_places(session->document.shoot()), std::vector<int>{40});
  ASSERT_TRUE(settled());
  w->picture().grab();
  EXPECT_GT(brightness(), before + 5);
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(session->document.decisions().look.keys.empty());
}

TEST_F(LookDrawing, HotPixelsAreLookedForWhenTheyAreToBeMended) {
  EXPECT_EQ(session->document.shoot().hot_pixels, nullptr);
  session->look.set_value(Param::hot_pixels, 60);
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return session->document.shoot().hot_pixels != nullptr; }, 20000));
  EXPECT_GT(session->document.shoot().hot_pixels->size(), 3u);
}

// Points are picked by keys too; their rulers do the rest.
TEST_F(LookDrawing, KeysPickThePointsOfCurveAndRing) {
  page("tones");
  auto* curve = find<CurveView>("curve");
  const int point = curve->point();
  QTest::keyClick(curve, Qt::Key_Up);
  EXPECT_EQ(curve->point(), point + 1);
  EXPECT_TRUE(find<Ruler>("tone_curve_3_in")->isVisible());
  for (int i = 0; i < 5; ++i) QTest::keyClick(curve, Qt::Key_Down);
  EXPECT_EQ(curve->point(), point + 1) << "round all of them";
  page("colours");
  auto* ring = find<RingView>("ring");
  const int at = ring->point();
  QTest::keyClick(ring, Qt::Key_Up);
  EXPECT_EQ(ring->point(), at + 1);
  EXPECT_TRUE(find<Ruler>("hue_ring_2_hue")->isVisible());
}

}  // namespace
}  // namespace tsukimi::app
