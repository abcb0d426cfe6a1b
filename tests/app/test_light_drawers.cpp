// SPDX-License-Identifier: GPL-3.0-or-later
// Steps, flicker and events by hand in the real window: what is chosen is in the exported pixels.
#include "app/drawers/evening_view.h"
#include "app/drawers/flicker_drawer.h"
#include "app/timeline/timeline.h"
#include "document/light_edit.h"
#include "window_fixture.h"

namespace tsukimi::app {

class LightDrawers : public Window {
 protected:
  // 48 frames with lightning over the upper half.
  static const SmallShoot& stormy() {
    static const SmallShoot shoot([] {
      sim::CameraOptions c;
      c.frames = 48;
      c.seed = 57;
      c.ruined = c.wobble = c.gap = c.wrong_aperture = false;
      c.uneven.lightning = 2;
      return c;
    }());
    return shoot;
  }
  // Of 48 frames whose halves flicker apart, with bands and colours that do.
  static const SmallShoot& uneven() {
    static const SmallShoot shoot([] {
      sim::CameraOptions c;
      c.frames = 48;
      c.seed = 58;
      c.from = 0.1, c.to = 0.3;
      c.ruined = c.wobble = c.gap = c.wrong_aperture = c.flicker = false;
      c.uneven.banding = 8, c.uneven.colour = 5;
      return c;
    }());
    return shoot;
  }
  void open_drawer(DrawerId id) {
    click(&w->rail(), w->rail().entry_rect(static_cast<int>(id)).center());
  }
  void choose(const char* box, int row) {
    auto* combo = find<QComboBox>(box);
    combo->setFocus();
    const int from = combo->currentIndex();
    for (int i = 0; i < std::abs(row - from); ++i)
      QTest::keyClick(combo, row > from ? Qt::Key_Down : Qt::Key_Up);
    EXPECT_EQ(combo->currentIndex(), row) << box;
  }
  const LightPlan& plan() { return session->light.plan(); }
  // Mean green of some rows (fractions) of exported frames, stops of linear light; all are
  // exported.
  std::vector<double> exported_stops(int first, int last, double top, double bottom) {
    const fs::path to = dir / ("frames" + std::to_string(++exports_));
    open_drawer(DrawerId::exports);
    auto* folder = find<QLineEdit>("folder");
    folder->setText(QString::fromStdString(to.string()));
    QTest::keyClick(folder, Qt::Key_Return);
    auto* pattern = find<QLineEdit>("pattern");
    pattern->setText("a_###");
    QTest::keyClick(pattern, Qt::Key_Return);
    click(find<QPushButton>("primary"));
    const QueuedJob job = exported();
    EXPECT_EQ(job.state, JobState::done) << job.problem;
    std::vector<double> out;
    for (int i = first + 1; i <= last + 1; ++i) {
      const QImage image(QString::fromStdString(
          (to / QString("a_%1.jpg").arg(i, 3, 10, QChar('0')).toStdString()).string()));
      EXPECT_FALSE(image.isNull()) << i;
      double sum = 0, count = 0;
      for (int y = static_cast<int>(top * image.height()); y < bottom * image.height(); ++y)
        for (int x = 0; x < image.width(); ++x) {
          const double v = qGreen(image.pixel(x, y)) / 255.0;
          sum += v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4), ++count;
        }
      out.push_back(std::log2(sum / count));
    }
    return out;
  }

 private:
  int exports_ = 0;
};

TEST_F(LightDrawers, AStepIsSetByHand) {
  open(stormy().folder);
  open_drawer(DrawerId::steps);
  toggle("level_on");
  ASSERT_TRUE(settled());
  auto* steps = find<QListWidget>("steps");
  auto* use = find<QComboBox>("step_use");
  ASSERT_GT(steps->count(), 2);
  EXPECT_FALSE(use->isEnabled()) << "no step is chosen";
  click(steps->viewport(), steps->visualItemRect(steps->item(1)).center());
  const LevelStep step = plan().level.steps[1];
  EXPECT_EQ(session->playhead.frame(), step.at) << "a click goes there";
  ASSERT_TRUE(use->isEnabled());
  const auto before = exported_stops(step.at - 1, step.at, 0.5, 1);
  open_drawer(DrawerId::steps);
  choose("step_use", static_cast<int>(StepUse::by_hand));
  ASSERT_TRUE(settled());
  auto* ruler = w->findChild<Ruler*>("step_by_hand");
  ASSERT_TRUE(ruler && ruler->isVisible());
  EXPECT_NEAR(ruler->value(), step.measured, 0.006) << "it begins as it was measured";
  for (int i = 0; i < 40; ++i) QTest::keyClick(ruler, Qt::Key_Up);
  ASSERT_TRUE(settled());
  const double by_hand = plan().level.steps[1].taken;
  EXPECT_NEAR(by_hand, step.measured + 0.4, 0.02);
  EXPECT_NE(steps->item(1)->text().indexOf("by hand"), -1);
  const auto after = exported_stops(step.at - 1, step.at, 0.5, 1);
  EXPECT_NEAR((after[1] - after[0]) - (before[1] - before[0]), -0.4, 0.06);
  // And not at all.
  open_drawer(DrawerId::steps);
  choose("step_use", static_cast<int>(StepUse::ignored));
  ASSERT_TRUE(settled());
  EXPECT_FALSE(ruler->isVisible());
  EXPECT_EQ(plan().level.steps[1].taken, 0);
  const auto left = exported_stops(step.at - 1, step.at, 0.5, 1);
  EXPECT_NEAR((left[1] - left[0]) - (before[1] - before[0]), step.measured, 0.06);
  open_drawer(DrawerId::steps);
  EXPECT_NE(steps->item(1)->text().indexOf("ignored"), -1);
}

TEST_F(LightDrawers, TheEveningIsBentByHandles) {
  open(stormy().folder);
  open_drawer(DrawerId::steps);
  toggle("level_on");
  ASSERT_TRUE(settled());
  auto* view = find<EveningView>("evening");
  const auto plain = plan().level_correction;
  const QPointF at = view->point_at(30);
  drag(view, at.toPoint(), at.toPoint() - QPoint(0, 20));
  ASSERT_TRUE(settled());
  const auto handles = session->document.decisions().level.evening;
  ASSERT_EQ(handles.size(), 1u);
  EXPECT_EQ(session->document.shoot().sequence.place_of(handles[0].frame),
            session->playhead.frame());
  EXPECT_NEAR(session->playhead.frame(), 30, 1);
  EXPECT_GT(handles[0].stops, 0.2) << "up is brighter";
  for (std::size_t i = 0; i < plain.size(); ++i)
    EXPECT_NEAR(plan().level_correction[i] - plain[i], handles[0].stops, 1e-6) << i;
  // A second one; between them it runs.
  const QPointF end = view->point_at(47);
  drag(view, end.toPoint(), end.toPoint() + QPoint(0, 25));
  ASSERT_TRUE(settled());
  ASSERT_EQ(session->document.decisions().level.evening.size(), 2u);
  EXPECT_LT(plan().level_correction[47] - plain[47], 0);
  EXPECT_GT(plan().level_correction[20] - plain[20], 0.2);
  // A drag is one step of undo; a double click takes a handle away.
  session->document.undo().undo();
  ASSERT_TRUE(settled());
  ASSERT_EQ(session->document.decisions().level.evening.size(), 1u);
  QTest::mouseDClick(
      view, Qt::LeftButton, {},
      view->point_at(session->document.shoot().sequence.place_of(handles[0].frame)).toPoint());
  ASSERT_TRUE(settled());
  EXPECT_TRUE(session->document.decisions().level.evening.empty());
}

TEST_F(LightDrawers, AreasOfEveryShapeAreDrawnAndRemoved) {
  open();
  open_drawer(DrawerId::flicker);
  toggle("deflicker_on");
  ASSERT_TRUE(settled());
  const QPoint c = w->picture().rect().center();
  choose("area_shape", static_cast<int>(AreaShape::ellipse));
  drag(&w->picture(), c - QPoint(150, 60), c - QPoint(20, 10));
  choose("area_shape", static_cast<int>(AreaShape::freehand));
  toggle("leave_out");
  QTest::mousePress(&w->picture(), Qt::LeftButton, {}, c + QPoint(40, 20));
  for (const QPoint by : {QPoint(120, 20), QPoint(120, 90), QPoint(40, 90)}) {
    const QPoint at = c + by;
    QMouseEvent move(QEvent::MouseMove, at, w->picture().mapToGlobal(at), Qt::NoButton,
                     Qt::LeftButton, {});
    QApplication::sendEvent(&w->picture(), &move);
  }
  QTest::mouseRelease(&w->picture(), Qt::LeftButton, {}, c + QPoint(40, 90));
  const auto areas = session->document.decisions().deflicker.areas;
  ASSERT_EQ(areas.size(), 2u);
  EXPECT_EQ(areas[0].shape, AreaShape::ellipse);
  EXPECT_FALSE(areas[0].leave_out);
  EXPECT_EQ(areas[1].shape, AreaShape::freehand);
  EXPECT_TRUE(areas[1].leave_out);
  EXPECT_EQ(areas[1].outline.size(), 4u);
  // It lies where it was drawn.
  const Canvas canvas = w->picture().canvas();
  const QPointF corner = canvas.at(areas[1].box.x, areas[1].box.y);
  EXPECT_LT((corner - QPointF(c + QPoint(40, 20))).manhattanLength(), 2);
  ASSERT_TRUE(settled());
  auto* list = find<QListWidget>("steady_areas");
  ASSERT_EQ(list->count(), 2);
  EXPECT_NE(list->item(1)->text().indexOf("left out"), -1);
  auto* remove = find<QPushButton>("remove_area");
  EXPECT_FALSE(remove->isEnabled());
  click(list->viewport(), list->visualItemRect(list->item(0)).center());
  EXPECT_EQ(session->areas.chosen(), 0);
  click(remove);
  ASSERT_TRUE(settled());
  ASSERT_EQ(session->document.decisions().deflicker.areas.size(), 1u);
  EXPECT_TRUE(session->document.decisions().deflicker.areas[0].leave_out);
  click(find<QPushButton>("whole_picture"));
  ASSERT_TRUE(settled());
  EXPECT_TRUE(session->document.decisions().deflicker.areas.empty());
  // A click alone draws nothing.
  click(&w->picture());
  EXPECT_TRUE(session->document.decisions().deflicker.areas.empty());
}

// An area is drawn, the slider moved: the exported frames are as even there as they are said to be.
TEST_F(LightDrawers, WhatIsDrawnAndSetIsInTheExportedFrames) {
  open(stormy().folder);
  session->document.edit("level", [](Shoot& s) { s.decisions.level.on = true; });
  ASSERT_TRUE(settled());
  // The middle of three frames against the others, RMS in stops, where no lightning is near.
  const auto flicker_of = [&] {
    const auto stops = exported_stops(0, 47, 0.55, 0.7);
    std::set<std::size_t> near;
    for (const Suspect& s : session->light.suspects())
      for (int by : {-1, 0, 1}) near.insert(static_cast<std::size_t>(s.frame + by));
    double squares = 0, count = 0;
    for (std::size_t f = 1; f + 1 < stops.size(); ++f)
      if (!near.contains(f))
        squares += std::pow(stops[f] - (stops[f - 1] + stops[f + 1]) / 2, 2), ++count;
    return std::sqrt(squares / count);
  };
  const double was = flicker_of();
  open_drawer(DrawerId::flicker);
  toggle("deflicker_on");
  const Canvas canvas = w->picture().canvas();
  drag(&w->picture(), canvas.at(0.05, 0.55).toPoint(), canvas.at(0.95, 0.7).toPoint());
  ASSERT_EQ(session->document.decisions().deflicker.areas.size(), 1u);
  ASSERT_TRUE(settled());
  auto* period = w->findChild<Ruler*>("period");
  ASSERT_TRUE(period);
  const auto goal = plan().goal;
  const double left = plan().left.left_median;
  QTest::keyClick(period, Qt::Key_Up);
  EXPECT_EQ(session->document.decisions().deflicker.period, 25);
  EXPECT_NE(plan().goal, goal) << "the curve follows the hand, before anything is measured again";
  EXPECT_EQ(plan().left.left_median, left);
  ASSERT_TRUE(settled());
  EXPECT_EQ(plan().goal,
            plan_light(session->document.shoot(), session->light.measured()->grids).goal)
      << "and what follows is the whole plan";
  EXPECT_LT(flicker_of(), 0.5 * was) << "water and windows go on";
}

TEST_F(LightDrawers, TheMapLiesOverThePictureAsSteadyAsEachPartIs) {
  open();
  open_drawer(DrawerId::flicker);
  ASSERT_TRUE(settled());
  const auto& steady = session->light.steady();
  ASSERT_EQ(steady.size(), static_cast<std::size_t>(CellLight::kCells));
  EXPECT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 10000));
  const QImage before = w->picture().grab().toImage();
  toggle("steady_map");
  const QImage after = w->picture().grab().toImage();
  // Where cells are steady the picture is clear, where they are not it has changed.
  const Canvas canvas = w->picture().canvas();
  double clear = 0, veiled = 0, clear_cells = 0, veiled_cells = 0;
  for (int cell = 0; cell < CellLight::kCells; ++cell) {
    const float weight = steady[static_cast<std::size_t>(cell)];
    if (weight > 400 && weight < 4e4) continue;  // in between
    double apart = 0;
    for (int i = 0; i < 9; ++i) {
      const QPoint at = canvas.at(CellLight::x_of(cell), CellLight::y_of(cell)).toPoint() +
                        QPoint(i % 3 * 3 - 3, i / 3 * 3 - 3);
      apart += std::abs(qGreen(before.pixel(at)) - qGreen(after.pixel(at))) / 9.0;
    }
    (weight <= 400 ? veiled : clear) += apart;
    (weight <= 400 ? veiled_cells : clear_cells) += 1;
  }
  ASSERT_GT(veiled_cells, 5);
  ASSERT_GT(clear_cells, 5);
  EXPECT_GT(veiled / veiled_cells, 25);
  EXPECT_LT(clear / clear_cells, 0.5 * veiled / veiled_cells);
  toggle("steady_map");
  EXPECT_EQ(w->picture().grab().toImage(), before);
}

TEST_F(LightDrawers, BandsAndColoursAreTakenOutOrLeft) {
  open(uneven().folder);
  open_drawer(DrawerId::flicker);
  toggle("deflicker_on");
  ASSERT_TRUE(settled());
  const auto kinds = [&] {
    std::set<FlickerKind> out;
    for (const FlickerFound& one : plan().found) out.insert(one.kind);
    return out;
  };
  EXPECT_EQ(kinds(), (std::set{FlickerKind::bands, FlickerKind::colour}));
  EXPECT_FALSE(plan().light(20).field.empty());
  choose("colour_flicker", static_cast<int>(Uneven::off));
  ASSERT_TRUE(settled());
  EXPECT_EQ(kinds(), (std::set{FlickerKind::bands}));
  EXPECT_EQ(plan().light(20).channel_stops, Light{}.channel_stops);
  choose("uneven", static_cast<int>(Uneven::off));
  ASSERT_TRUE(settled());
  EXPECT_TRUE(kinds().empty());
  EXPECT_TRUE(plan().light(20).field.empty());
  session->document.undo().undo();
  ASSERT_TRUE(settled());
  EXPECT_EQ(kinds(), (std::set{FlickerKind::bands}));
}

// Cells follow the picture as soon as the movement is known, after opening too, and only while it
// is asked for.
TEST_F(LightDrawers, ASteadiedShootIsMeasuredWhereThePictureIs) {
  const SmallShoot shaken([] {
    sim::CameraOptions c;
    c.frames = 48;
    c.seed = 59;
    c.from = 0.1, c.to = 0.3;
    c.ruined = c.gap = c.wrong_aperture = false;
    c.shaking = 3;
    return c;
  }());
  open(shaken.folder);
  const auto in_place = [&] {
    const auto& measured = session->light.measured();
    return QTest::qWaitFor(
               [&] {
                 return session->document.shoot().motion && session->light.measured()->in_place &&
                        session->light.measured()->in_place == session->document.shoot().motion;
               },
               30000) &&
           measured;
  };
  session->document.edit("flicker", [](Shoot& s) { s.decisions.deflicker.on = true; });
  ASSERT_TRUE(settled());
  const double fixed = plan().left.left_median;
  session->framing.set_steadying(Steadying::hold);
  ASSERT_TRUE(in_place());
  ASSERT_TRUE(settled());
  EXPECT_LT(plan().left.left_median, 0.5 * fixed);
  const auto goal = plan().goal;
  save(dir / "s.tsukimi");
  const auto serial = session->document.shoot_serial();
  w->open(dir / "s.tsukimi");
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.shoot_serial() != serial; }, 10000));
  ASSERT_TRUE(settled());
  ASSERT_TRUE(in_place());
  ASSERT_TRUE(settled());
  EXPECT_EQ(plan().goal, goal);
  session->framing.set_steadying(Steadying::off);
  EXPECT_TRUE(QTest::qWaitFor([&] { return !session->light.measured()->in_place; }, 30000));
  ASSERT_TRUE(settled());
  EXPECT_GT(plan().left.left_median, 0.9 * fixed);
}

TEST_F(LightDrawers, TheStatementLeadsToTheFrame) {
  open();
  open_drawer(DrawerId::flicker);
  toggle("deflicker_on");
  ASSERT_TRUE(settled());
  const int worst = plan().deflicker.largest_at;
  ASSERT_GE(worst, 0);
  bool found = false;
  for (QLabel* label : w->findChildren<QLabel*>())
    if (label->isVisible() && label->text().contains("Largest correction")) {
      found = true;
      EXPECT_TRUE(label->text().contains(QString("href='%1'>%2<").arg(worst).arg(worst + 1)));
      emit label->linkActivated(QString::number(worst));
    }
  EXPECT_TRUE(found);
  EXPECT_EQ(session->playhead.frame(), worst);
}

TEST_F(LightDrawers, EventsAreKeptAndSoftenedFromTheLane) {
  open(stormy().folder);
  std::vector<int> lit;
  for (const Suspect& s : session->light.suspects())
    if (is_event(s.kind)) lit.push_back(s.frame);
  ASSERT_EQ(lit.size(), 2u);
  EXPECT_EQ(session->checking.open_suspects(), 0) << "they are kept by themselves";
  EXPECT_FALSE(w->rail().attention(0));
  session->document.edit("level", [](Shoot& s) { s.decisions.level.on = true; });
  ASSERT_TRUE(settled());
  const int frame = lit[0];
  const auto before = exported_stops(frame - 1, frame + 1, 0, 0.3);
  EXPECT_GT(before[1] - before[0], 0.4);
  // The mark stands at the foot of the light lane.
  auto& timeline = w->timeline();
  QMenu* menu = nullptr;
  for (int y = 0; y < timeline.height() && !menu; y += 2) {
    const QPoint at(static_cast<int>(timeline.x_of(frame)), y);
    QContextMenuEvent event(QContextMenuEvent::Mouse, at, timeline.mapToGlobal(at));
    QApplication::sendEvent(&timeline, &event);
    for (QWidget* top : QApplication::topLevelWidgets())
      if (top->isVisible() && top->objectName() == "event_menu") menu = qobject_cast<QMenu*>(top);
  }
  ASSERT_TRUE(menu);
  menu->actions().at(2)->trigger();
  menu->close();
  ASSERT_TRUE(settled());
  EXPECT_EQ(softened_share(session->document.shoot(), frame), 0.5);
  const auto after = exported_stops(frame - 1, frame + 1, 0, 0.3);
  EXPECT_NEAR(after[0], before[0], 0.03) << "nothing else changes";
  EXPECT_LT(after[1] - after[0], 0.75 * (before[1] - before[0]));
  // And in the drawer, where the playhead stands on it.
  open_drawer(DrawerId::flicker);
  session->playhead.set_frame(frame);
  auto* ruler = w->findChild<Ruler*>("soften");
  ASSERT_TRUE(ruler && ruler->isVisible());
  EXPECT_EQ(ruler->value(), 50);
  session->playhead.set_frame(frame + 1);
  EXPECT_FALSE(ruler->isVisible());
}

TEST_F(LightDrawers, SideBySideBothAreOfTheSameFrame) {
  open();
  open_drawer(DrawerId::flicker);
  toggle("deflicker_on");
  ASSERT_TRUE(settled());
  const QImage alone = w->picture().grab().toImage();
  click(find<QPushButton>("beside"));
  EXPECT_TRUE(session->judging.beside());
  EXPECT_EQ(session->compare.with(), Compare::With::flicker);
  // Mean green of a half of the view.
  const auto half = [&](bool right) {
    const QImage image = w->picture().grab().toImage();
    double sum = 0, count = 0;
    for (int y = image.height() / 2 - 60; y < image.height() / 2 + 60; ++y)
      for (int x = right ? image.width() / 2 + 20 : 20;
           x < (right ? image.width() - 20 : image.width() / 2 - 20); ++x)
        sum += qGreen(image.pixel(x, y)), ++count;
    return sum / count;
  };
  // The frame that is corrected most: left it is as it was, right it is not.
  const int worst = plan().deflicker.largest_at;
  const double correction = plan().flicker_correction[static_cast<std::size_t>(worst)];
  session->playhead.set_frame(worst);
  EXPECT_TRUE(QTest::qWaitFor(
      [&] { return correction > 0 ? half(true) > half(false) + 1 : half(true) < half(false) - 1; },
      10000));
  // In motion too.
  key(Qt::Key_Space);
  const int from = session->playhead.frame();
  EXPECT_TRUE(QTest::qWaitFor([&] { return session->playhead.frame() != from; }, 10000));
  key(Qt::Key_Space);
  click(find<QPushButton>("beside"));
  EXPECT_FALSE(session->judging.beside());
}

TEST_F(LightDrawers, TheLensShowsChangesEightTimesAsLarge) {
  open();
  open_drawer(DrawerId::flicker);
  ASSERT_TRUE(settled());
  session->document.edit("range", [](Shoot& s) { s.decisions.deflicker.period = 12; });
  ASSERT_TRUE(settled());
  click(find<QPushButton>("light_lens"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->judging.departures(3, false); }, 10000));
  // Some frame of the first ones departs by a few hundredths of a stop in all of the picture.
  int frame = 3;
  double most = 0;
  for (int f = 2; f < 20; ++f) {
    const float* d = session->judging.departures(f, false);
    const double mean = std::accumulate(d, d + CellLight::kCells, 0.0) / CellLight::kCells;
    if (std::fabs(mean) > std::fabs(most)) most = mean, frame = f;
  }
  ASSERT_GT(std::fabs(most), 0.015);
  session->playhead.set_frame(frame);
  ASSERT_TRUE(settled());
  const auto mean_of = [&] {
    const QImage image = w->picture().grab().toImage();
    double sum = 0;
    for (int y = 60; y < image.height() - 60; y += 2)
      for (int x = 60; x < image.width() - 60; x += 2) sum += qGreen(image.pixel(x, y));
    return sum;
  };
  QTest::qWait(500);
  const double with = mean_of();
  EXPECT_FALSE(w->picture().shown().at_rest()) << "no picture of all pixels is changed in painting";
  click(find<QPushButton>("light_lens"));
  const double without = mean_of();
  EXPECT_EQ(with > without, most > 0) << most;
  EXPECT_GT(std::fabs(std::log2(with / without)), 1.5 * std::fabs(most));
  // What is corrected has nothing left to show.
  toggle("deflicker_on");
  ASSERT_TRUE(settled());
  click(find<QPushButton>("light_lens"));
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        const float* d = session->judging.departures(frame, false);
        return d && std::fabs(std::accumulate(d, d + CellLight::kCells, 0.0) / CellLight::kCells) <
                        0.3 * std::fabs(most);
      },
      10000));
}

}  // namespace tsukimi::app
