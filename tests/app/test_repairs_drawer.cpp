// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs by the hands of a user: a click mends a spot, a drag draws an area, dust is looked for.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QListWidget>
#include <QSpinBox>

#include "photographs.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class RepairsWindow : public Window {
 protected:
  void open_repairs() {
    open();
    w->open_drawer(DrawerId::repairs);
  }
  const std::vector<Repair>& all() { return session->document.decisions().repairs; }
  QPoint at(double x, double y) {
    return w->picture().canvas().to_widget(Rect{x, y, 0, 0}).topLeft().toPoint();
  }
  void wait() {
    ASSERT_TRUE(QTest::qWaitFor([&] { return !session->repairs.looking(); }, 30000));
    ASSERT_TRUE(settled());
  }
  void spot(double x, double y) {
    QTest::mouseClick(&w->picture(), Qt::LeftButton, {}, at(x, y));
    wait();
  }
  // Green of what is shown there.
  int green(double x, double y) {
    EXPECT_TRUE(settled());
    QTest::qWait(30);
    return w->picture().grab().toImage().pixelColor(at(x, y)).green();
  }
};

TEST_F(RepairsWindow, AClickMendsASpotThatCanBeDraggedSwitchedOffAndTakenBack) {
  open_repairs();
  spot(0.4, 0.3);
  ASSERT_EQ(all().size(), 1u);
  auto v = [&] { return all()[0].spot()->values.keys[0].values; };
  EXPECT_NEAR(v()[Param::spot_x], 0.4, 0.01);
  EXPECT_NEAR(v()[Param::spot_y], 0.3, 0.01);
  EXPECT_GT(std::hypot(v()[Param::spot_from_x] - 0.4, v()[Param::spot_from_y] - 0.3), 0.02)
      << "it is covered from elsewhere";
  EXPECT_NE(v()[Param::spot_from_x], presets(kSpot)[Param::spot_from_x]) << "that was looked for";
  EXPECT_EQ(session->repairs.chosen(), 0);
  // Its source is dragged; the spot stays.
  const double sx = v()[Param::spot_from_x], sy = v()[Param::spot_from_y];
  drag(&w->picture(), at(sx, sy), at(0.6, 0.5));
  EXPECT_NEAR(v()[Param::spot_from_x], 0.6, 0.02);
  EXPECT_NEAR(v()[Param::spot_from_y], 0.5, 0.02);
  EXPECT_NEAR(v()[Param::spot_x], 0.4, 0.01);
  auto* list = find<QListWidget>("repairs");
  ASSERT_EQ(list->count(), 1);
  list->item(0)->setCheckState(Qt::Unchecked);
  EXPECT_FALSE(all()[0].on);
  session->document.undo().undo();
  EXPECT_TRUE(all()[0].on);
  // It moves only when that is asked for.
  session->playhead.set_frame(30);
  drag(&w->picture(), at(0.4, 0.3), at(0.42, 0.3));
  EXPECT_EQ(all()[0].spot()->values.keys.size(), 1u);
  toggle("repair_moves");
  EXPECT_EQ(all()[0].spot()->values.keys.size(), 2u);
  click(find<QPushButton>("remove_repair"));
  EXPECT_TRUE(all().empty());
}

// What is shown is what it is covered with: a bright lamp goes, and comes back without repairs.
TEST_F(RepairsWindow, TheSpotIsCoveredOnScreenAndShownWithoutRepairs) {
  open_repairs();
  session->repairs.radius = 0.03;
  // The brightest place of the picture, away from its borders.
  ASSERT_TRUE(settled());
  const QImage shown = w->picture().grab().toImage();
  int most = 0;
  double bx = 0.5, by = 0.5;
  for (double y = 0.2; y < 0.8; y += 0.01)
    for (double x = 0.2; x < 0.8; x += 0.01)
      if (const int g = shown.pixelColor(at(x, y)).green(); g > most) most = g, bx = x, by = y;
  spot(bx, by);
  const int mended = green(bx, by);
  toggle("without_repairs");
  EXPECT_TRUE(session->repairs.hidden());
  const int without = green(bx, by);
  EXPECT_NEAR(without, most, 25);
  EXPECT_LT(mended, without - 6);
}

// A skyline nowhere runs twice the same: the spot becomes an area that is covered from several
// places. Where even they fit badly that is said.
TEST_F(RepairsWindow, ASpotThatNoPlaceFitsBecomesAnAreaAndThatIsSaid) {
  constexpr int kWidth = 900, kHeight = 600;
  const auto o = test::plain_evening(4, 49, {kWidth, kHeight});
  sim::PhotoOptions photos;
  photos.strip = 0.5;
  const test::PhotoShoot shoot("FallenLeaf", "EveningGlow", o, photos);
  open(shoot.folder);
  w->open_drawer(DrawerId::repairs);
  session->repairs.radius = 22.0 / kWidth;
  QStringList said;
  QObject::connect(&session->notices, &Notices::message, &session->notices,
                   [&](const QString& text) { said << text; });
  auto at = [&](double x, double y) {
    said.clear();
    session->repairs.add_spot({x, y});
    wait();
  };
  at(1 / 18.0, 0.38);  // sky
  EXPECT_EQ(all().back().kind(), RepairKind::spot);
  EXPECT_TRUE(said.isEmpty()) << qPrintable(said.join(" "));
  at(1 / 3.0, 0.48);
  EXPECT_EQ(all().back().kind(), RepairKind::area);
  EXPECT_FALSE(all().back().area()->quilt.empty());
  EXPECT_TRUE(said.join(" ").contains("it became an area")) << qPrintable(said.join(" "));
  at(1 / 3.0, 0.54);
  EXPECT_TRUE(said.join(" ").startsWith("Nothing beside it fits")) << qPrintable(said.join(" "));
}

TEST_F(RepairsWindow, AnAreaIsDrawnFilledFromTimeAndSaved) {
  open_repairs();
  click(find<QPushButton>("new_area"));
  const QPoint corners[] = {at(0.3, 0.3), at(0.4, 0.3), at(0.4, 0.4), at(0.3, 0.4), at(0.3, 0.31)};
  QTest::mousePress(&w->picture(), Qt::LeftButton, {}, corners[0]);
  for (const QPoint& c : corners) {
    QMouseEvent move(QEvent::MouseMove, c, w->picture().mapToGlobal(c), Qt::NoButton,
                     Qt::LeftButton, {});
    QApplication::sendEvent(&w->picture(), &move);
  }
  QTest::mouseRelease(&w->picture(), Qt::LeftButton, {}, corners[4]);
  wait();
  ASSERT_EQ(all().size(), 1u);
  EXPECT_EQ(all()[0].kind(), RepairKind::area);
  EXPECT_GE(all()[0].area()->polygon.size(), 4u);
  auto* fill = find<QComboBox>("fill");
  fill->setCurrentIndex(2);
  emit fill->activated(2);
  EXPECT_EQ(all()[0].area()->fill, FillFrom::time);
  find<QSpinBox>("area_first")->setValue(5);
  find<QSpinBox>("area_last")->setValue(9);
  find<QSpinBox>("area_fade")->setValue(2);
  EXPECT_EQ(all()[0].area()->first, session->document.shoot().sequence.id_of(4));
  EXPECT_EQ(all()[0].area()->last, session->document.shoot().sequence.id_of(8));
  EXPECT_EQ(all()[0].area()->fade, 2);
  session->playhead.set_frame(6);
  ASSERT_TRUE(settled());
  EXPECT_TRUE(w->picture().shown().is_as_asked()) << "it is filled, live";
  save(dir / "a.tsukimi");
  const auto before = all();
  open(dir / "a.tsukimi");
  EXPECT_EQ(all(), before);
}

TEST_F(RepairsWindow, DustIsLookedForAndSaid) {
  open_repairs();
  click(find<QPushButton>("find_dust"));
  wait();
  EXPECT_TRUE(session->repairs.map());
  EXPECT_TRUE(find<QLabel>("dust_map")->isVisible());
  for (const Repair& r : all()) EXPECT_EQ(r.kind(), RepairKind::dust);
  const std::size_t found = all().size();
  click(find<QPushButton>("find_dust"));
  wait();
  EXPECT_EQ(all().size(), found) << "what is taken out is not taken out again";
}

}  // namespace
}  // namespace tsukimi::app
