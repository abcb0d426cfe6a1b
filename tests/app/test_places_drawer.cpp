// SPDX-License-Identifier: GPL-3.0-or-later
// Places by the hands of a user: every shape drawn and painted on the picture, key frames, undo,
// saving, and what an export makes of them.
#include <gtest/gtest.h>

#include <QComboBox>
#include <QListWidget>
#include <QMenu>
#include <QSpinBox>

#include "app/drawers/keyed_ruler.h"
#include "camera/sensor_frame.h"
#include "document/place_keys.h"
#include "motion/track.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class PlacesWindow : public Window {
 protected:
  void open_places() {
    open();
    w->open_drawer(DrawerId::places);
  }
  const LocalPlace& place(std::size_t i = 0) { return session->document.decisions().places.at(i); }
  // A part of the frame, in the picture's pixels.
  QPoint at(double x, double y) {
    return w->picture().canvas().to_widget(Rect{x, y, 0, 0}).topLeft().toPoint();
  }
  void draw(double x0, double y0, double x1, double y1) {
    drag(&w->picture(), at(x0, y0), at(x1, y1));
  }
  void choose_from(const char* menu_name, const QString& text) {
    auto* menu = w->findChild<QMenu*>(menu_name);
    ASSERT_NE(menu, nullptr) << menu_name;
    for (QAction* action : menu->actions())
      if (action->text() == text) {
        ASSERT_TRUE(action->isEnabled()) << text.toStdString();
        action->trigger();
        menu->close();
        return;
      }
    FAIL() << "there is no " << text.toStdString();
  }
  void from_menu(const QString& text) {
    click(find<QPushButton>("places_more"));
    choose_from("places_menu", text);
    QTest::qWait(10);
  }
  // Turns a ruler of the chosen place by its own keys.
  void set(const char* ruler, double value) {
    auto* r = find<KeyedRuler>(ruler);
    emit r->edited(value, ++drag_serial_);
  }
  // Mean light of a part of an exported frame.
  static double light(const fs::path& file, Rect part) {
    const Image image = read_frame(file)->rgb;
    double sum = 0;
    int count = 0;
    for (int y = static_cast<int>(part.y * image.height); y < (part.y + part.h) * image.height; ++y)
      for (int x = static_cast<int>(part.x * image.width); x < (part.x + part.w) * image.width; ++x)
        sum += image.planes[1].at(x, y), ++count;
    return sum / count;
  }
  void export_to(const std::string& name) {
    ExportSettings how;
    how.folder = (dir / name).string();
    how.pattern = "f_##";
    how.format = FileFormat::tiff16;
    Shoot copy = session->document.shoot();
    const auto report = run_export(copy, session->light.plan(), {{how}, {}, {0, 0}},
                                   [](const char*) { return Work{}; });
    ASSERT_TRUE(report && report->complete());
  }
  int drag_serial_ = 0;
};

TEST_F(PlacesWindow, AGraduatedSkyIsDrawnAdjustedAndExported) {
  open_places();
  auto* first = find<QPushButton>("add_graduated");
  EXPECT_LT(first->mapTo(w.get(), QPoint()).y(), 120) << "without a place all stands at the top";
  export_to("plain");
  click(find<QPushButton>("add_graduated"));
  ASSERT_EQ(session->document.decisions().places.size(), 1u);
  EXPECT_TRUE(find<QLabel>("quiet"));
  draw(0.5, 0.2, 0.5, 0.6);
  const Values& v = place().shapes[0].values.keys[0].values;
  EXPECT_NEAR(v[Param::from_y], 0.2, 0.01);
  EXPECT_NEAR(v[Param::to_y], 0.6, 0.01);
  EXPECT_NEAR(v[Param::from_x], 0.5, 0.01);
  click(find<QToolButton>("place_page_light"));
  set("place_exposure", -1);
  EXPECT_EQ(place().values.keys[0].values[Param::place_exposure], -1);
  // Its lower line is taken by its handle.
  draw(0.5, 0.6, 0.5, 0.8);
  EXPECT_NEAR(place().shapes[0].values.keys[0].values[Param::to_y], 0.8, 0.01);
  EXPECT_NEAR(place().shapes[0].values.keys[0].values[Param::from_y], 0.2, 0.01) << "it stays";
  export_to("with");
  const auto ratio = [&](Rect part) {
    return std::log2(light(dir / "with/f_01.tif", part) / light(dir / "plain/f_01.tif", part));
  };
  EXPECT_NEAR(ratio({0.3, 0.02, 0.4, 0.1}), -1, 0.08);
  EXPECT_NEAR(ratio({0.3, 0.85, 0.4, 0.1}), 0, 0.01);
  // What is on screen shows it too.
  session->document.undo().undo();
  session->document.undo().undo();
  session->document.undo().undo();
  EXPECT_NEAR(place().shapes[0].values.keys[0].values[Param::to_y], 0.5, 1e-9) << "as it was made";
  session->document.undo().undo();
  EXPECT_TRUE(session->document.decisions().places.empty());
}

TEST_F(PlacesWindow, AnEllipseIsDrawnMovedTurnedAndFeathered) {
  open_places();
  click(find<QPushButton>("add_ellipse"));
  draw(0.4, 0.5, 0.6, 0.65);
  auto v = [&] { return place().shapes[0].values.keys[0].values; };
  EXPECT_NEAR(v()[Param::centre_x], 0.4, 0.01);
  EXPECT_NEAR(v()[Param::radius_x], 0.2, 0.01);
  EXPECT_NEAR(v()[Param::radius_y], 0.1, 0.01) << "in widths of the frame";
  draw(0.4, 0.5, 0.5, 0.4);  // its middle
  EXPECT_NEAR(v()[Param::centre_x], 0.5, 0.01);
  EXPECT_NEAR(v()[Param::centre_y], 0.4, 0.01);
  EXPECT_NEAR(v()[Param::radius_x], 0.2, 0.01);
  draw(0.7, 0.4, 0.5, 0.4 + 0.2 * 1.5);  // the end of its long axis, down
  EXPECT_NEAR(v()[Param::ellipse_angle], 90, 2);
  EXPECT_NEAR(v()[Param::radius_x], 0.2, 0.01);
  // The inner line: from half the radius to a quarter.
  draw(0.5, 0.4 - 0.1 * 1.5, 0.5, 0.4 - 0.05 * 1.5);
  EXPECT_NEAR(v()[Param::ellipse_feather], 75, 4);
  click(find<QPushButton>("toggle_place_key"));
  EXPECT_EQ(place().shapes[0].values.keys.size(), 1u) << "the last key frame stays";
}

TEST_F(PlacesWindow, APaintedPlaceIsPaintedErasedAndSeen) {
  open_places();
  click(find<QPushButton>("add_painted"));
  EXPECT_TRUE(find<QCheckBox>("veil")->isChecked()) << "or nobody would see what is painted";
  draw(0.3, 0.5, 0.7, 0.5);
  auto strokes = [&] { return place().shapes[0].painted[0].painting.strokes(); };
  ASSERT_EQ(strokes().size(), 1u);
  EXPECT_NEAR(strokes()[0].points.front().x, 0.3, 0.01);
  EXPECT_NEAR(strokes()[0].points.back().x, 0.7, 0.03);
  const int undo = session->document.undo().index();
  toggle("erase");
  draw(0.5, 0.4, 0.5, 0.6);
  ASSERT_EQ(strokes().size(), 2u);
  EXPECT_TRUE(strokes()[1].erase);
  EXPECT_EQ(session->document.undo().index(), undo + 1) << "a stroke is one step";
  // The veil lies where it is painted: redder there than beside it, and gone with V.
  auto redness = [&](double x, double y) {
    EXPECT_TRUE(settled());
    QTest::qWait(50);
    const QImage shown = w->picture().grab().toImage();
    const QColor c = shown.pixelColor(at(x, y));
    return c.red() - c.blue();
  };
  const int painted = redness(0.33, 0.5), beside = redness(0.33, 0.75);
  key(Qt::Key_V);
  EXPECT_FALSE(session->places.veil());
  const int without = redness(0.33, 0.5), beside_without = redness(0.33, 0.75);
  EXPECT_GT(painted, without + 20);
  EXPECT_NEAR(beside, beside_without, 6);
  session->document.undo().undo();
  EXPECT_EQ(strokes().size(), 1u);
}

TEST_F(PlacesWindow, AStrokeFollowsEdgesOnRequest) {
  open_places();
  click(find<QPushButton>("add_painted"));
  draw(0.3, 0.5, 0.4, 0.5);
  toggle("edges");
  draw(0.5, 0.5, 0.6, 0.5);
  const auto strokes = place().shapes[0].painted[0].painting.strokes();
  ASSERT_EQ(strokes.size(), 2u);
  EXPECT_FALSE(strokes[0].edges);
  EXPECT_TRUE(strokes[1].edges);
  EXPECT_TRUE(settled());
}

// The movement of the camera is measured when a place follows the picture; then it goes along, and
// what is painted at another frame lies where it was painted.
TEST_F(PlacesWindow, APlaceFollowsThePictureOnRequest) {
  open_places();
  click(find<QPushButton>("add_painted"));
  toggle("follow");
  EXPECT_EQ(place().follow, Follow::picture);
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.shoot().motion != nullptr; }, 60000));
  const auto& frames = session->document.shoot().motion->frames;
  std::size_t most = 0;  // the frame that lies farthest off
  for (std::size_t k = 0; k < frames.size(); ++k)
    if (std::hypot(frames[k].move.dx, frames[k].move.dy) >
        std::hypot(frames[most].move.dx, frames[most].move.dy))
      most = k;
  ASSERT_GT(std::hypot(frames[most].move.dx, frames[most].move.dy), 0.0005) << "it wobbles";
  session->playhead.set_frame(static_cast<int>(most));
  const auto shape = [&] { return session->places.now()->shapes[0]; };
  EXPECT_EQ(shape().from_key, frames[most].move);
  draw(0.3, 0.5, 0.4, 0.5);
  EXPECT_EQ(shape().from_key, Similarity{}) << "a key frame is where it was painted";
  EXPECT_NEAR(shape().painting.strokes()[0].points[0].x, 0.3, 0.01);
  session->document.undo().undo();
  session->document.undo().undo();
  EXPECT_EQ(place().follow, Follow::nothing);
}

TEST_F(PlacesWindow, KeyFramesOfThePlaceStandInTheTimelineAndAreItsOwn) {
  open_places();
  session->playhead.set_frame(4);
  click(find<QPushButton>("add_graduated"));
  draw(0.5, 0.1, 0.5, 0.4);
  click(find<QToolButton>("place_page_light"));
  set("place_exposure", -1);
  EXPECT_EQ(session->keys.frames(), std::vector<int>{4});
  session->playhead.set_frame(20);
  set("place_exposure", -2);
  draw(0.5, 0.4, 0.5, 0.7);
  EXPECT_EQ(session->keys.frames(), (std::vector<int>{4, 20}));
  EXPECT_TRUE(key_places(session->document.shoot()).empty()) << "the look has none";
  // Between them both run.
  const auto between = session->document.courses().places[0].whole(12);
  const Course& time = session->document.course();
  const double t = (time.place(12) - time.place(4)) / (time.place(20) - time.place(4));
  EXPECT_NEAR(between.values[Param::place_exposure], -1 - t, 0.01);
  EXPECT_NEAR(between.shapes[0].values[Param::to_y], 0.4 + 0.3 * t, 0.01);
  key(Qt::Key_PageUp);
  EXPECT_EQ(session->playhead.frame(), 4);
  EXPECT_TRUE(session->keys.move(20, 30, "drag"));
  EXPECT_EQ(session->keys.frames(), (std::vector<int>{4, 30}));
  session->playhead.set_frame(30);
  key(Qt::Key_K);
  EXPECT_EQ(session->keys.frames(), std::vector<int>{4});
  EXPECT_EQ(place().shapes[0].values.keys.size(), 1u);
  // Another drawer has the look's again.
  w->open_drawer(DrawerId::look);
  EXPECT_TRUE(session->keys.frames().empty());
}

TEST_F(PlacesWindow, ListedNamedOrderedSwitchedOffDuplicatedAndRemoved) {
  open_places();
  click(find<QPushButton>("add_graduated"));
  click(find<QPushButton>("add_ellipse"));
  auto* list = find<QListWidget>("places");
  ASSERT_EQ(list->count(), 2);
  EXPECT_EQ(list->currentRow(), 1) << "the new one is worked on";
  list->item(0)->setText("Sky");
  EXPECT_EQ(place(0).name, "Sky");
  list->item(1)->setCheckState(Qt::Unchecked);
  EXPECT_FALSE(place(1).on);
  list->setCurrentRow(0);
  EXPECT_EQ(session->places.chosen(), 0);
  from_menu("Later");
  EXPECT_EQ(place(1).name, "Sky");
  EXPECT_EQ(session->places.chosen(), 1) << "it is still the one";
  from_menu("Duplicate");
  ASSERT_EQ(session->document.decisions().places.size(), 3u);
  EXPECT_EQ(place(2).name, "Sky, a copy");
  from_menu("Remove");
  ASSERT_EQ(session->document.decisions().places.size(), 2u);
  session->document.undo().undo();
  EXPECT_EQ(session->document.decisions().places.size(), 3u);
}

TEST_F(PlacesWindow, AMaskIsCopiedTurnedOverAndAPlaceGoesToAnotherShoot) {
  open_places();
  click(find<QPushButton>("add_graduated"));
  draw(0.5, 0.1, 0.5, 0.4);
  from_menu("Copy mask");
  click(find<QPushButton>("add_ellipse"));
  from_menu("Paste mask turned over");
  EXPECT_EQ(place(1).shapes, place(0).shapes);
  EXPECT_TRUE(place(1).invert);
  toggle("invert");
  EXPECT_FALSE(place(1).invert);
  // A range of tones, by its fields.
  auto* from = find<QSpinBox>("tones_0");
  from->setValue(40);
  EXPECT_EQ(place(1).tones, (Limit{40, 100, 10}));
  session->places.choose(0);
  session->playhead.set_frame(40);
  click(find<QToolButton>("place_page_light"));
  set("place_exposure", -1.5);
  from_menu("Copy place");
  const LocalPlace copied = place(0);
  // A shoot of fewer frames.
  const fs::path few = dir / "few";
  fs::create_directories(few);
  const auto frames = scan_folder(harbour().folder)->frames;
  for (std::size_t i = 0; i < 6; ++i)
    fs::copy_file(harbour().folder / frames[i].file, few / frames[i].file);
  open(few);
  w->open_drawer(DrawerId::places);
  EXPECT_EQ(session->document.decisions().places.size(), 0u);
  from_menu("Paste place");
  ASSERT_EQ(session->document.decisions().places.size(), 1u);
  EXPECT_EQ(place().name, copied.name);
  EXPECT_EQ(place().shapes[0].values.keys[0].values, copied.shapes[0].values.keys[0].values);
  EXPECT_EQ(place().values.keys.size(), 1u) << "frame 40 is not there";
}

TEST_F(PlacesWindow, ShapesAreAddedTakenAwayAndCut) {
  open_places();
  click(find<QPushButton>("add_graduated"));
  draw(0.5, 0.1, 0.5, 0.4);
  click(find<QPushButton>("add_shape"));
  choose_from("shape_menu", "Ellipse, takes away");
  ASSERT_EQ(place().shapes.size(), 2u);
  EXPECT_EQ(place().shapes[1].how, Combine::take);
  draw(0.5, 0.2, 0.6, 0.3);
  EXPECT_NEAR(place().shapes[1].values.keys[0].values[Param::centre_y], 0.2, 0.01);
  EXPECT_NEAR(place().shapes[0].values.keys[0].values[Param::to_y], 0.4, 0.01) << "the other stays";
  auto* how = find<QComboBox>("how");
  how->setCurrentIndex(2);
  emit how->activated(2);
  EXPECT_EQ(place().shapes[1].how, Combine::cut);
  click(find<QPushButton>("remove_shape"));
  EXPECT_EQ(place().shapes.size(), 1u);
}

TEST_F(PlacesWindow, WhatIsSavedIsThereWhenItIsOpenedAgain) {
  open_places();
  click(find<QPushButton>("add_painted"));
  draw(0.3, 0.5, 0.7, 0.5);
  click(find<QToolButton>("place_page_light"));
  set("place_exposure", 1);
  save(dir / "a.tsukimi");
  const auto before = session->document.decisions().places;
  open(dir / "a.tsukimi");
  EXPECT_EQ(session->document.decisions().places, before);
  w->open_drawer(DrawerId::places);
  EXPECT_EQ(session->places.chosen(), 0);
  EXPECT_EQ(find<KeyedRuler>("place_exposure")->param(), Param::place_exposure);
}

// Clear air of a place needs the air measured, though the look uses none.
TEST_F(PlacesWindow, ClearAirOfAPlaceMeasuresTheAir) {
  open_places();
  click(find<QPushButton>("add_graduated"));
  click(find<QToolButton>("place_page_light"));
  const double preset = info(Param::airlight_red).preset;
  set("place_haze", 40);
  ASSERT_TRUE(settled());
  ASSERT_FALSE(session->document.decisions().look.keys.empty());
  EXPECT_NE(session->document.decisions().look.keys[0].values[Param::airlight_red], preset);
}

}  // namespace
}  // namespace tsukimi::app
