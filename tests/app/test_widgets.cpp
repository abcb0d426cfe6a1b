// SPDX-License-Identifier: GPL-3.0-or-later
// The window's own controls one by one: what they draw, and what hands and keys do to them.
#include <QSignalSpy>
#include <QWheelEvent>
#include <cmath>
#include <set>
#include <thread>

#include "app/window_fixture.h"
#include "base/cache.h"
#include "document/values.h"

namespace tsukimi::app {
namespace {

Ruler::Spec exposure_spec() { return {"e", "Exposure", "EV", "Brightness", -5, 5, 0, 0.05, 2}; }

void wheel(QWidget* w, QPointF at, int delta, Qt::KeyboardModifiers m = {}) {
  QWheelEvent e(at, w->mapToGlobal(at), {}, {0, delta}, Qt::NoButton, m, Qt::NoScrollPhase, false);
  QApplication::sendEvent(w, &e);
}

// How many pixels of an area are close to a colour.
int count_colour(const QImage& i, QRect area, QColor c, int tolerance = 24) {
  int n = 0;
  area &= i.rect();
  for (int y = area.top(); y <= area.bottom(); ++y)
    for (int x = area.left(); x <= area.right(); ++x) {
      const QColor p = i.pixelColor(x, y);
      n += std::abs(p.red() - c.red()) + std::abs(p.green() - c.green()) +
               std::abs(p.blue() - c.blue()) <
           tolerance;
    }
  return n;
}

double luminance(const QColor& c) {
  auto linear = [](double v) {
    return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
  };
  return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}

TEST(Style, TextHasEnoughContrast) {
  auto contrast = [](const QColor& a, const QColor& b) {
    const double la = luminance(a), lb = luminance(b);
    return (std::max(la, lb) + 0.05) / (std::min(la, lb) + 0.05);
  };
  for (const QColor& ground : {colour::ground, colour::panel, colour::raised})
    for (const QColor& text : {colour::text, colour::quiet, colour::moon, colour::coral})
      EXPECT_GE(contrast(text, ground), 4.5) << text.name().toStdString();
}

TEST(Style, TheShippedFontIsUsedAndItsFiguresAreTabular) {
  EXPECT_EQ(QFontInfo(QApplication::font()).family(), "Tsukimi UI");
  const QFontMetrics m(QApplication::font());
  for (char c = '1'; c <= '9'; ++c)
    EXPECT_EQ(m.horizontalAdvance(QChar(c)), m.horizontalAdvance('0'));
}

TEST(RulerTest, WheelAndKeysMoveByTheStepAndHoldTheRange) {
  Ruler r(exposure_spec());
  r.resize(250, 62);
  r.show();
  ASSERT_TRUE(QTest::qWaitForWindowActive(&r));
  r.setFocus();
  QSignalSpy edited(&r, &Ruler::edited);
  wheel(&r, {100, 30}, 120);
  EXPECT_NEAR(r.value(), 0.05, 1e-9);
  QTest::keyClick(&r, Qt::Key_Down, Qt::ShiftModifier);
  EXPECT_NEAR(r.value(), -0.45, 1e-9);
  EXPECT_EQ(edited.count(), 2);
  for (int i = 0; i < 30; ++i) QTest::keyClick(&r, Qt::Key_Up, Qt::ShiftModifier);
  EXPECT_DOUBLE_EQ(r.value(), 5);
}

TEST(RulerTest, TypedValuesAreReadHeldInRangeAndNonsenseChangesNothing) {
  Ruler r(exposure_spec());
  r.resize(250, 62);
  r.show();
  auto type = [&](const QString& text) {
    r.setFocus();
    QTest::keyClick(&r, Qt::Key_Return);
    auto* editor = r.findChild<QLineEdit*>("typed");
    ASSERT_NE(editor, nullptr);
    editor->setText(text);
    QTest::keyClick(editor, Qt::Key_Return);
    QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    EXPECT_EQ(r.findChild<QLineEdit*>("typed"), nullptr) << "it is closed, and arrows step again";
  };
  type("1,25");
  EXPECT_DOUBLE_EQ(r.value(), 1.25);
  type(QString(QChar(0x2212)) + "2");
  EXPECT_DOUBLE_EQ(r.value(), -2);
  type("bright");
  EXPECT_DOUBLE_EQ(r.value(), -2);
  type("77");
  EXPECT_DOUBLE_EQ(r.value(), 5);
}

TEST(RulerTest, ShiftDragsFinely) {
  auto dragged = [](Qt::KeyboardModifiers m) {
    Ruler r(exposure_spec());
    r.resize(250, 62);
    r.show();
    QTest::mousePress(&r, Qt::LeftButton, m, {120, 30});
    QMouseEvent move(QEvent::MouseMove, QPointF(70, 30), r.mapToGlobal(QPointF(70, 30)),
                     Qt::NoButton, Qt::LeftButton, m);
    QApplication::sendEvent(&r, &move);
    return r.value();
  };
  EXPECT_NEAR(dragged({}), 0.8, 0.02);  // 50 px of a ruler that shows 4 EV in 250 px
  EXPECT_NEAR(dragged(Qt::ShiftModifier), 0.08, 0.011);
}

// Half a number is another number: near the edges it is drawn whole or not at all.
TEST(RulerTest, NumbersAreNeverCut) {
  Ruler r({"n", "Noise", "", "", 0, 100, 0, 1, 0});
  r.resize(254, 42);
  int drawn = 0;
  for (int value = 5; value < 100; ++value) {
    r.set_value(value);
    const QImage image = r.grab().toImage();
    const QRect scale = r.scale_rect();
    const QRect numbers(scale.left(), scale.top() + 1, scale.width(), 9);
    auto ink = [&](int x) {  // brighter than the ground of the ruler
      return count_colour(image, QRect(x, numbers.top(), 1, numbers.height()), colour::ground, 20) <
             numbers.height();
    };
    EXPECT_FALSE(ink(scale.left())) << value;
    EXPECT_FALSE(ink(scale.right())) << value;
    for (int x = scale.left(); x <= scale.right(); ++x) drawn += ink(x);
  }
  EXPECT_GT(drawn, 1000);
}

TEST(RulerTest, TheRunDrawsItsCourse) {
  Ruler r(exposure_spec());
  r.resize(254, 57);
  EXPECT_EQ(r.sizeHint().height(), 42);
  Ruler::Course c;
  for (int i = 0; i < 100; ++i) c.values.push_back(i < 50 ? -1 : 1);
  c.keys = {{10, Easing::smooth}};
  r.set_course(c);
  r.set_playhead(90);
  EXPECT_EQ(r.sizeHint().height(), 57);
  const QImage image = r.grab().toImage();
  const QRect run = r.run_rect();
  // Low in the left half, high in the right half.
  EXPECT_GT(count_colour(image, QRect(60, run.center().y() + 1, 50, 7), colour::goal, 120), 20);
  EXPECT_GT(count_colour(image, QRect(140, run.top(), 50, 7), colour::goal, 120), 20);
  EXPECT_EQ(count_colour(image, QRect(140, run.center().y() + 2, 50, 5), colour::goal, 120), 0);
  // The playhead is there in the accent.
  EXPECT_GT(count_colour(image, QRect(4 + 246 * 90 / 99 - 1, run.top(), 3, run.height()),
                         colour::moon, 80),
            5);
  EXPECT_EQ(r.frame_at(4), 0);
  EXPECT_EQ(r.frame_at(250), 99);
}

TEST(RailTest, KeysAndDots) {
  Rail rail;
  rail.add("One", ":/icons/look.svg");
  rail.add("Two", ":/icons/steps.svg");
  rail.resize(62, 300);
  rail.show();
  QSignalSpy chosen(&rail, &Rail::chosen);
  rail.setFocus();
  QTest::keyClick(&rail, Qt::Key_Down);
  QTest::mouseClick(&rail, Qt::LeftButton, {}, rail.entry_rect(1).center());
  ASSERT_EQ(chosen.count(), 2);
  EXPECT_EQ(chosen[0][0].toInt(), 1);
  EXPECT_EQ(chosen[1][0].toInt(), 1);
  EXPECT_EQ(count_colour(rail.grab().toImage(), rail.rect(), colour::coral), 0);
  rail.set_attention(1, true);
  EXPECT_GT(count_colour(rail.grab().toImage(), rail.entry_rect(1), colour::coral), 15);
}

TEST(TaskListTest, ReportsProgressFinishesInThisThreadAndCancels) {
  TaskList tasks;
  std::thread::id finished_in;
  auto task = tasks.start("Count", [&](const Work& work) -> TaskList::Finish {
    for (int i = 1; i <= 10; ++i) work.report(i, 10);
    return [&] { finished_in = std::this_thread::get_id(); };
  });
  ASSERT_TRUE(QTest::qWaitFor([&] { return tasks.idle(); }, 5000));
  EXPECT_EQ(finished_in, std::this_thread::get_id());
  EXPECT_EQ(task->done, 10);
  EXPECT_EQ(task->total, 10);
  bool stopped = false;
  tasks.start("Wait", [&](const Work& work) -> TaskList::Finish {
    while (!work.stop()) QThread::msleep(1);
    return [&] { stopped = true; };
  });
  tasks.cancel_all();
  EXPECT_TRUE(QTest::qWaitFor([&] { return tasks.idle() && stopped; }, 5000));
}

TEST(TaskListTest, GoesAwaySafelyWhileWorkRuns) {
  std::atomic<bool> left{false};
  {
    TaskList tasks;
    tasks.start("Long", [&](const Work& work) -> TaskList::Finish {
      while (!work.stop()) QThread::msleep(1);
      left = true;
      return [] { FAIL() << "the list is gone"; };
    });
  }
  EXPECT_TRUE(left);
  QApplication::processEvents();
}

class Widgets : public Window {};

TEST_F(Widgets, TimelineZoomKeepsTheFrameUnderTheHand) {
  open();
  auto& t = w->timeline();
  const double x = t.x_of(30);
  for (int i = 0; i < 4; ++i) wheel(&t, {x, 40}, 120);
  EXPECT_NEAR(t.x_of(30), x, 1);
  EXPECT_GT(t.x_of(31) - t.x_of(30), 1.5 * (t.width() - 90) / 47.0);
  for (int i = 0; i < 12; ++i) wheel(&t, {x, 40}, -120);
  EXPECT_EQ(t.frame_at(t.x_of(0)), 0);
  EXPECT_EQ(t.frame_at(t.x_of(47)), 47);
}

TEST_F(Widgets, TimelineSelectsByDragging) {
  open();
  auto& t = w->timeline();
  drag(&t, {static_cast<int>(t.x_of(10)), 60}, {static_cast<int>(t.x_of(25)), 60});
  ASSERT_TRUE(t.selection());
  EXPECT_NEAR(t.selection()->first, 10, 1);
  EXPECT_NEAR(t.selection()->second, 25, 1);
  click(&t, {static_cast<int>(t.x_of(40)), 60});
  EXPECT_FALSE(t.selection());
}

TEST_F(Widgets, TimelineShowsKeysGapsAndBadFrames) {
  open();
  auto& t = w->timeline();
  session->playhead.set_frame(0);
  auto there = [&](int frame, double top, int height) {
    return QRect(static_cast<int>(t.x_of(frame)) - 6, static_cast<int>(top), 12, height);
  };
  auto keys = [&](int frame) { return there(frame, t.key_frames().bottom() - 13, 13); };
  auto marks = [&](int frame) { return there(frame, t.key_frames().bottom() + 4, 24); };
  EXPECT_EQ(count_colour(t.grab().toImage(), keys(35), colour::moon), 0);
  session->document.edit("key", [](Shoot& s) { add_key(s, 35); });
  EXPECT_GT(count_colour(t.grab().toImage(), keys(35), colour::moon), 40);
  ASSERT_EQ(session->document.shoot().sequence.gaps.size(), 1u);
  EXPECT_GT(
      count_colour(t.grab().toImage(), marks(session->document.shoot().sequence.gaps[0].after),
                   colour::coral, 90),
      5);
}

TEST_F(Widgets, TimelineDrawsTheLightOnceItIsMeasured) {
  open();
  auto& t = w->timeline();
  session->playhead.set_frame(0);
  const QRect lane(static_cast<int>(t.x_of(5)), 25, static_cast<int>(t.x_of(40) - t.x_of(5)), 58);
  const int before = count_colour(t.grab().toImage(), lane, colour::moon, 90);
  EXPECT_GT(before, 100);  // the developed trace
  const QImage without = t.grab().toImage();
  session->document.edit("goal", [](Shoot& s) { s.decisions.deflicker.on = true; });
  ASSERT_TRUE(settled());
  const QImage with = t.grab().toImage();
  int changed = 0;
  for (int y = lane.top(); y <= lane.bottom(); ++y)
    for (int x = lane.left(); x <= lane.right(); ++x)
      changed += with.pixel(x, y) != without.pixel(x, y);
  EXPECT_GT(changed, 200);  // the goal appears and the developed trace calms down
}

TEST_F(Widgets, TheSeamShowsAsShotLeftAndDevelopedRight) {
  open();
  w->open_drawer(DrawerId::look);
  session->playhead.set_frame(2);
  session->look.set_value(Param::saturation, -100);
  ASSERT_TRUE(settled());
  key(Qt::Key_S);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return !w->preview().get(2, Rendering::as_shot, false).isNull(); }, 10000));
  const QImage i = w->picture().grab().toImage();
  auto colourfulness = [&](int x0, int x1) {
    double sum = 0;
    for (int y = i.height() / 4; y < i.height() * 3 / 4; ++y)
      for (int x = x0; x < x1; ++x) sum += i.pixelColor(x, y).saturationF();
    return sum;
  };
  EXPECT_GT(colourfulness(i.width() / 4, i.width() * 3 / 8),
            10 * colourfulness(i.width() * 5 / 8, i.width() * 3 / 4));
  key(Qt::Key_S);
  EXPECT_FALSE(w->transport().seam_button->isChecked());
}

TEST_F(Widgets, BeforeShowsTheCamerasPicture) {
  open();
  session->playhead.set_frame(4);
  session->look.set_value(Param::exposure, 3);
  ASSERT_TRUE(settled());
  w->grab();
  const double developed = brightness();
  hold(Qt::Key_B);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return !w->preview().get(4, Rendering::as_shot, false).isNull(); }, 10000));
  w->grab();
  EXPECT_LT(brightness(), 0.7 * developed);
  let_go(Qt::Key_B);
  w->grab();
  EXPECT_NEAR(brightness(), developed, 1);
}

TEST_F(Widgets, HundredPercentIsDevelopedAtFullSize) {
  open();
  key(Qt::Key_Z);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        w->grab();
        return w->picture().shown().picture().image.size() == QSize(300, 200);
      },
      10000));
  key(Qt::Key_Z);
  ASSERT_TRUE(settled());
  w->grab();
  EXPECT_EQ(w->picture().shown().picture().image.size(), QSize(150, 100));
}

TEST_F(Widgets, PlayingLoopsInsideTheFilm) {
  open();
  session->document.edit("ends", [](Shoot& s) { s.decisions.in = 20, s.decisions.out = 26; });
  session->playhead.set_frame(25);
  std::set<int> seen;
  QObject::connect(&session->playhead, &Playhead::frame_changed,
                   [&] { seen.insert(session->playhead.frame()); });
  key(Qt::Key_Space);
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return seen.count(20) && seen.count(26) && seen.count(24); }, 10000));
  key(Qt::Key_Space);
  EXPECT_GE(*seen.begin(), 20);
  EXPECT_LE(*seen.rbegin(), 26);
}

TEST_F(Widgets, FactsSayWhatItBecomes) {
  open();
  auto text = [&] {
    QString all;
    for (auto* l : w->findChild<QWidget*>("facts")->findChildren<QLabel*>()) all += l->text() + "|";
    return all;
  };
  EXPECT_NE(text().indexOf("48 frames → 2.0 s at 24 fps"), -1) << text().toStdString();
  EXPECT_NE(text().indexOf("every 20 s"), -1);
  auto* fps = find<QComboBox>("fps");
  fps->setCurrentIndex(fps->findText("30 fps"));
  emit fps->activated(fps->currentIndex());
  EXPECT_NE(text().indexOf("1.6 s at 30 fps"), -1) << text().toStdString();
}

TEST_F(Widgets, SequenceDrawerGoesToWhatChanged) {
  open();
  click(&w->rail(), w->rail().entry_rect(0).center());
  auto* events = find<QListWidget>("events");
  const auto& s = session->document.shoot().sequence;
  ASSERT_EQ(static_cast<std::size_t>(events->count()), s.steps.size() + s.gaps.size());
  auto* item = events->item(2);
  QTest::mouseClick(events->viewport(), Qt::LeftButton, {}, events->visualItemRect(item).center());
  EXPECT_EQ(session->playhead.frame(), item->data(Qt::UserRole).toInt());
}

TEST_F(Widgets, ExportDrawerSaysWhatIsWrongBeforeAnythingIsWritten) {
  open();
  session->document.edit("out", [&](Shoot& s) {
    s.decisions.output.folder = (dir / "o").string(), s.decisions.output.pattern = "x_#";
  });
  click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::exports)).center());
  EXPECT_FALSE(find<QPushButton>("primary")->isEnabled());  // one digit for 48 frames
  session->document.edit("name", [](Shoot& s) { s.decisions.output.pattern = "x_##"; });
  EXPECT_TRUE(find<QPushButton>("primary")->isEnabled());
  session->document.edit("size", [](Shoot& s) { s.decisions.output.pixels.exact = {192, 108}; });
  bool said = false;
  for (auto* l : w->findChild<QWidget*>("drawer_export")->findChildren<QLabel*>())
    said |= l->text().contains("another shape");
  EXPECT_TRUE(said);
  EXPECT_FALSE(fs::exists(dir / "o"));
}

TEST_F(Widgets, CancellingAnExportKeepsWhatIsDone) {
  open();
  session->document.edit("out", [&](Shoot& s) {
    s.decisions.output.folder = (dir / "o").string(), s.decisions.output.pattern = "x_###";
  });
  session->exports.start(false);
  ASSERT_TRUE(QTest::qWaitFor([&] { return fs::exists(dir / "o" / "x_001.jpg"); }, 10000));
  exports().cancel(exports().jobs().back().id);
  EXPECT_EQ(exported().state, JobState::cancelled);
  session->exports.start(false);
  const QueuedJob whole = exported();
  EXPECT_EQ(whole.state, JobState::done) << whole.problem;
  EXPECT_GT(whole.kept, 0);
  EXPECT_EQ(whole.kept + whole.written, 48);
}

TEST_F(Widgets, AFileThatDisappearsWhileOpenIsNamedOnThePicture) {
  fs::copy(harbour().folder, dir / "h", fs::copy_options::recursive);
  w->open(dir / "h");
  ASSERT_TRUE(settled());
  const auto name = session->document.shoot().sequence.frames[33].file;
  QString why;
  QObject::connect(&w->preview(), &Preview::failed,
                   [&](int, Rendering, const QString& text) { why = text; });
  fs::remove(dir / "h" / name);
  std::error_code ec;
  fs::remove_all(cache_folder() / "proxies", ec);
  session->playhead.set_frame(33);
  key(Qt::Key_Z);  // full quality needs the file itself
  // Whoever notices first, the picture or a measurement that still goes on, says so.
  auto noted = [&] { return session->document.shoot().sequence.frames[33].problem; };
  ASSERT_TRUE(QTest::qWaitFor([&] { return !why.isEmpty() || !noted().empty(); }, 10000));
  EXPECT_TRUE(why.contains(QString::fromStdString(name)) ||
              noted().find("cannot be opened") != std::string::npos)
      << why.toStdString() << noted();
  key(Qt::Key_Right);  // the rest goes on
  EXPECT_EQ(session->playhead.frame(), 34);
}

TEST_F(Widgets, ASaveThatFailsSaysSoAndKeepsTheWork) {
  open();
  session->look.set_value(Param::exposure, 1);
  std::ofstream(dir / "file") << "x";
  QString why;
  QObject::connect(&session->notices, &Notices::problem, [&](const QString& text) { why = text; });
  save(dir / "file" / "s.tsukimi");  // a folder that is a file
  EXPECT_NE(why.indexOf("s.tsukimi"), -1);
  EXPECT_TRUE(session->document.has_unsaved());
}

}  // namespace
}  // namespace tsukimi::app
