// SPDX-License-Identifier: GPL-3.0-or-later
// What must not happen to a person at the window: a dead picture, lost work, a number that changes
// by itself, an end without a word.
#include <QListWidget>
#include <QScrollBar>
#include <QThreadPool>
#include <QWheelEvent>
#include <thread>

#include "app/convert/qimage.h"
#include "app/window_fixture.h"
#include "base/cache.h"
#include "develop/display.h"
#include "document/framing/output_size.h"
#include "document/values.h"
#include "film/checks.h"

namespace tsukimi::app {
namespace {

// A folder with so many frames, and nothing else.
fs::path plain_folder(const TempDir& dir, int count) {
  sim::SimulateOptions o;
  o.camera.frames = count;
  o.camera.seed = 53;
  o.size = {300, 200};
  o.folder = dir / ("plain" + std::to_string(count));
  EXPECT_TRUE(sim::simulate(o));
  return o.folder;
}

class PlainFolder : public Window, public ::testing::WithParamInterface<int> {
 protected:
  // What is on screen at the last frame, before and after a ruler was moved.
  std::pair<QImage, QImage> last_frame(const fs::path& folder) {
    w->open(folder);
    EXPECT_TRUE(settled());
    key(Qt::Key_End);
    EXPECT_EQ(session->playhead.frame(), GetParam() - 1);
    EXPECT_TRUE(settled());
    const QImage before = w->picture().grab().toImage();
    w->open_drawer(DrawerId::look);
    auto* exposure = find<Ruler>("exposure");
    drag(exposure, {120, 30}, {40, 30});
    EXPECT_TRUE(settled());
    return {before, w->picture().grab().toImage()};
  }
};

// However late the first picture of a folder is decoded, it never hides what was opened.
TEST_P(PlainFolder, IsAliveHoweverLateItsFirstPictureComes) {
  const fs::path folder = plain_folder(dir, GetParam());
  session->opener.first_reader = [](const fs::path&) -> Result<SensorFrame> {
    return fail("none");
  };
  const auto without = last_frame(folder);
  EXPECT_NE(without.first, without.second);

  w = std::make_unique<MainWindow>();
  w->resize(1280, 800);
  w->may_drop_changes = [] { return true; };
  session = &w->session();
  w->show();
  QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/autosave")
      .removeRecursively();
  std::atomic<bool> go{false};
  session->opener.first_reader = [&](const fs::path& f) {
    while (!go) QThread::msleep(1);
    return read_frame(f);
  };
  QObject::connect(&session->document, &Document::opened, [&] { go = true; });
  const auto with = last_frame(folder);
  EXPECT_EQ(with.first, without.first);
  EXPECT_EQ(with.second, without.second);
  EXPECT_TRUE(session->opener.first_look().isNull());
}
INSTANTIATE_TEST_SUITE_P(Counts, PlainFolder, ::testing::Values(2, 4, 90));

TEST(TaskListTest, NoExceptionLeavesATask) {
  TaskList tasks;
  QStringList problems;
  QObject::connect(&tasks, &TaskList::problem, [&](const QString& why) { problems << why; });
  tasks.start("Counting", [](const Work&) -> TaskList::Finish { throw std::bad_alloc(); });
  tasks.start("Reading", [](const Work&) -> TaskList::Finish {
    (void)fs::is_directory(fs::path(std::string(300, 'x')));
    return {};
  });
  tasks.start("Odd", [](const Work&) -> TaskList::Finish { throw 5; });
  tasks.start("Late", [](const Work&) -> TaskList::Finish {
    return [] { throw std::runtime_error("too late"); };
  });
  std::string own;
  tasks.start(
      "Own", [](const Work&) -> TaskList::Finish { throw std::runtime_error("mine"); }, true,
      [&](const Error& why) { own = why.message; });
  ASSERT_TRUE(QTest::qWaitFor([&] { return tasks.idle(); }, 5000));
  ASSERT_EQ(problems.size(), 4) << problems.join("|").toStdString();
  const QString all = problems.join("|");
  EXPECT_TRUE(all.contains("Counting could not be finished: there is not enough memory."));
  EXPECT_TRUE(all.contains("File name too long"));
  EXPECT_TRUE(all.contains("too late"));
  EXPECT_NE(own.find("mine"), std::string::npos);
}

class Safety : public Window {
 protected:
  QString why;
  void SetUp() override {
    Window::SetUp();
    QObject::connect(&session->notices, &Notices::problem,
                     [this](const QString& text) { why = text; });
  }
  void choose_export(const std::string& folder) {
    session->document.edit("out", [&](Shoot& s) {
      s.decisions.output.folder = folder;
      s.decisions.output.pattern = "x_###";
    });
  }
  void open_export_drawer() {
    click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::exports)).center());
  }
};

TEST_F(Safety, AFolderThatCannotBeIsSaidAndTheWindowLives) {
  open();
  choose_export((dir / std::string(300, 'x')).string());
  session->exports.start(false);
  const QueuedJob job = exported();
  EXPECT_EQ(job.state, JobState::failed);
  EXPECT_NE(job.problem.find("cannot be made"), std::string::npos) << job.problem;
}

TEST_F(Safety, CancelledMeasuringIsTakenUpAgainAndAnExportMeasuresForItself) {
  std::error_code ec;
  fs::remove_all(cache_folder(), ec);
  w->open(harbour().folder);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session->document.is_open() && session->light.measuring(); }, 10000));
  click(find<QToolButton>("cancel_work"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tasks.idle(); }, 10000));
  ASSERT_FALSE(session->light.known());
  // By the mouse, in the lane that says so.
  click(&w->timeline(), QPoint(w->timeline().width() / 2, 40));
  EXPECT_TRUE(session->light.measuring());
  for (const auto& t : session->tasks.running()) t->cancelled = true;
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tasks.idle(); }, 10000));
  // By what needs it.
  session->document.edit("short", [](Shoot& s) {
    s.decisions.deflicker.on = true;
    s.decisions.out = 5;
  });
  choose_export((dir / "o").string());
  session->exports.start(false);
  EXPECT_EQ(exported().written, 6);
  EXPECT_TRUE(why.isEmpty()) << why.toStdString();
}

// What stands on the screen, not what a picture of the window made for a test would show.
TEST_F(Safety, TheTimelineSaysThatTheLightIsBeingMeasured) {
  struct Paints : QObject {
    Session* session;
    bool measuring = false;
    bool eventFilter(QObject*, QEvent* e) override {
      if (e->type() == QEvent::Paint) measuring = session->light.measuring();
      return false;
    }
  } paints;
  paints.session = session;
  w->timeline().installEventFilter(&paints);
  w->open_drawer(DrawerId::sequence);
  std::error_code ec;
  fs::remove_all(cache_folder(), ec);
  const auto go = std::make_shared<std::atomic<bool>>(false);
  QObject::connect(&session->document, &Document::opened, [&] {
    for (int i = 0; i < session->tasks.pool().maxThreadCount(); ++i)
      session->tasks.pool().start([go] {
        while (!*go) QThread::msleep(1);
      });
  });
  w->open(harbour().folder);
  EXPECT_TRUE(QTest::qWaitFor(
      [&] { return session->document.is_open() && session->light.measuring(); }, 10000));
  QTest::qWait(100);
  EXPECT_TRUE(session->light.measuring());
  EXPECT_TRUE(paints.measuring);
  key(Qt::Key_J);
  EXPECT_TRUE(w->message().contains("still being looked at"));
  // Also while what was measured is being thought over.
  const auto end = std::make_shared<std::atomic<bool>>(false);
  for (int i = 0; i < session->tasks.pool().maxThreadCount(); ++i)
    session->tasks.pool().start([end] {
      while (!*end) QThread::msleep(1);
    });
  *go = true;
  EXPECT_TRUE(QTest::qWaitFor([&] { return !session->light.suspects().empty(); }, 20000));
  QTest::qWait(50);
  EXPECT_FALSE(session->light.known());
  EXPECT_TRUE(session->light.measuring());
  EXPECT_EQ(find<QListWidget>("suspects")->count(),
            static_cast<int>(session->light.suspects().size()));
  *end = true;
  ASSERT_TRUE(settled());
}

// A large frame takes a while; an empty window would look broken.
TEST_F(Safety, WhileTheFirstFrameIsReadThePictureSaysSo) {
  QSet<QRgb> colours;
  QObject::connect(&session->document, &Document::opened, [&] {
    const QImage seen = w->picture().grab().toImage();
    for (int y = 0; y < seen.height(); ++y)
      for (int x = 0; x < seen.width(); ++x) colours.insert(seen.pixel(x, y));
  });
  open();
  EXPECT_GT(colours.size(), 4);
}

TEST_F(Safety, HotPixelsAreFoundWhateverHappensMeanwhile) {
  open();
  session->look.set_value(Param::hot_pixels, 50);
  session->checking.set_order(FrameOrder::time);  // while they are looked for
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tasks.idle(); }, 30000));
  ASSERT_TRUE(session->document.shoot().hot_pixels);
  EXPECT_FALSE(session->document.shoot().hot_pixels->empty());
}

TEST_F(Safety, HotPixelsOfTheShootThatIsOpenAreFoundToo) {
  sim::CameraOptions c;
  c.frames = 8;
  const SmallShoot large(c, {2400, 1600});  // the search takes a while
  const fs::path other = plain_folder(dir, 12);
  fs::path file = dir / "o.tsukimi";
  {
    auto shoot = start_shoot(*scan_folder(other));
    set_value(*shoot, Param::hot_pixels, 0, 50);
    ASSERT_TRUE(save_shoot(*shoot, file));
  }
  open(large.folder);
  session->look.set_value(Param::hot_pixels, 50);
  w->open(file);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return session->document.file() == file && session->tasks.idle(); }, 30000));
  EXPECT_TRUE(session->document.shoot().hot_pixels);
}

TEST_F(Safety, AnExportGoesOnWhenAnotherShootIsOpenedAndSaysHowItEnded) {
  const fs::path other = plain_folder(dir, 4);
  open();
  choose_export((dir / "o").string());
  session->exports.start(false);
  ASSERT_TRUE(QTest::qWaitFor([&] { return fs::exists(dir / "o" / "x_001.jpg"); }, 10000));
  w->open(other);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        return session->document.shoot().frame_count() == 4 && session->tasks.idle() &&
               !exports().running() && exports().idle();
      },
      60000));
  EXPECT_TRUE(fs::exists(dir / "o" / "x_048.jpg"));
  EXPECT_TRUE(w->message().contains("all 48 frames are exported"));
  EXPECT_FALSE(session->exports.last());  // it was another shoot's
}

TEST_F(Safety, ClosingWhileExportsAreMadeAsksWhatBecomesOfThem) {
  open();
  choose_export((dir / "o").string());
  session->exports.start(false);
  ASSERT_TRUE(QTest::qWaitFor([&] { return exports().running(); }, 10000))
      << exports().jobs().size() << " "
      << (exports().jobs().empty() ? "" : exports().jobs()[0].problem) << why.toStdString();
  int asked = 0;
  auto answer = Leaving::stay;
  w->how_to_leave_exports = [&] { return ++asked, answer; };
  EXPECT_FALSE(w->close());
  EXPECT_EQ(asked, 1);
  EXPECT_TRUE(session->exports.running());
  answer = Leaving::pause;
  EXPECT_TRUE(w->close());
  EXPECT_EQ(asked, 2);
  const auto jobs = *Queue(Queue::users_folder()).list();
  ASSERT_EQ(jobs.size(), 1u);
  EXPECT_EQ(jobs[0].state, JobState::paused);
}

// Whoever hears that undo was emptied looks at suspects and playhead: they must be of the shoot
// that is there.
TEST_F(Safety, AnotherShootIsNeverSeenWithTheFindingsOfTheOneBefore) {
  open();
  session->playhead.set_frame(40);
  session->look.set_value(Param::exposure, 1);
  ASSERT_FALSE(session->light.suspects().empty());
  int heard = 0;
  QObject::connect(&session->document.undo(), &QUndoStack::cleanChanged, w.get(), [&] {
    ++heard;
    for (const auto& s : session->light.suspects())
      EXPECT_LT(s.frame, session->document.shoot().frame_count());
    EXPECT_LT(session->playhead.frame(), session->document.shoot().frame_count());
  });
  w->open(plain_folder(dir, 4));
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->document.shoot().frame_count() == 4; }, 60000));
  EXPECT_EQ(heard, 1);
}

// A frame that was away brings its capture time, and key frames run over that.
TEST_F(Safety, WhatIsLearntOfTheFramesMovesTheCourse) {
  open();
  const double before = session->document.course().place(3);
  session->document.learn([](Shoot& s) {
    s.sequence.frames[3].time += 7;
    find_facts(s.sequence);
  });
  EXPECT_GT(session->document.course().place(3), before + 0.2);
  EXPECT_EQ(session->document.course().place(3), course_of(session->document.shoot()).place(3));
}

TEST_F(Safety, AFrameThatWasAwayComesBackByItself) {
  const fs::path folder = plain_folder(dir, 8);
  open(folder);
  const auto name = session->document.shoot().sequence.frames[5].file;
  std::error_code ec;
  fs::remove_all(cache_folder(), ec);
  fs::rename(folder / name, dir / "elsewhere.dng");
  open(folder);  // 7 frames
  open_export_drawer();
  fs::rename(dir / "elsewhere.dng", folder / name);
  open(folder);
  fs::remove_all(cache_folder(), ec);
  // Away while it is measured.
  fs::rename(folder / name, dir / "elsewhere.dng");
  session->light.measure_again();
  session->checking.set_order(FrameOrder::time);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        return !session->document.shoot().sequence.frames[5].usable() && session->tasks.idle();
      },
      10000));
  session->playhead.set_frame(5);
  w->picture().grab();
  fs::rename(dir / "elsewhere.dng", folder / name);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        return session->document.shoot().sequence.frames[5].usable() && session->tasks.idle() &&
               w->picture().shown().is_as_asked();
      },
      10000));
  EXPECT_FALSE(std::isnan(session->light.plan().as_shot[5]));
}

TEST_F(Safety, APictureThatCouldNotBeReadForAMomentIsShownWhenItCan) {
  const fs::path folder = plain_folder(dir, 6);
  open(folder);
  std::error_code ec;
  const auto name = session->document.shoot().sequence.frames[3].file;
  fs::rename(folder / name, dir / "elsewhere.dng");
  session->playhead.set_frame(3);
  key(Qt::Key_Z);  // full quality needs the file itself
  bool failed = false, ready = false;
  QObject::connect(&w->preview(), &Preview::failed, [&] { failed = true; });
  ASSERT_TRUE(QTest::qWaitFor([&] { return w->picture().grab(), failed; }, 5000));
  const QImage words = w->picture().grab().toImage();
  fs::rename(dir / "elsewhere.dng", folder / name);
  // Nobody touches anything.
  QObject::connect(&w->preview(), &Preview::ready, [&](int frame) { ready |= frame == 3; });
  EXPECT_TRUE(QTest::qWaitFor([&] { return ready; }, 6000));
  EXPECT_TRUE(QTest::qWaitFor([&] { return w->picture().shown().at_rest(); }, 6000));
  EXPECT_NE(w->picture().grab().toImage(), words);
  EXPECT_GT(brightness(), 1);
}

TEST_F(Safety, AFocusedSwitchOrListTakesItsKeys) {
  open();
  w->open_drawer(DrawerId::steps);
  auto* level = find<QCheckBox>("level_on");
  level->setFocus();
  QTest::keyClick(level, Qt::Key_Space);
  EXPECT_TRUE(session->document.decisions().level.on);
  EXPECT_FALSE(w->transport().playing());
  ASSERT_TRUE(settled());
  auto* steps = find<QListWidget>("steps");
  ASSERT_GT(steps->count(), 2);
  steps->setFocus();
  steps->setCurrentRow(0);
  const int frame = session->playhead.frame();
  QTest::keyClick(steps, Qt::Key_Down);
  EXPECT_EQ(steps->currentRow(), 1);
  const int at = session->playhead.frame();
  QTest::keyClick(steps, Qt::Key_End);
  EXPECT_EQ(steps->currentRow(), steps->count() - 1);
  EXPECT_NE(session->playhead.frame(), session->document.shoot().frame_count() - 1);
  (void)frame, (void)at;
  key(Qt::Key_End);  // from the picture it is the window's
  EXPECT_EQ(session->playhead.frame(), session->document.shoot().frame_count() - 1);
}

// Of two frames each is half the lane: what holds at its left edge is named too.
TEST_F(Safety, TheTimelineNamesTheFirstSetting) {
  open(plain_folder(dir, 2));
  const QImage lanes = w->timeline().grab().toImage();
  auto ink = [&](int left, int right) {  // where the labels stand, beside the playhead
    int n = 0;
    for (int y = 92; y < 152; ++y)
      for (int x = left; x < right; ++x) n += qGreen(lanes.pixel(x, y)) > 120;
    return n;
  };
  EXPECT_GT(ink(76, 140), 30);
}

TEST_F(Safety, AnAutosaveInFlightDoesNotOutliveASave) {
  open();
  const fs::path file = dir / "s.tsukimi";
  save(file);
  // All hands are busy when the autosave begins, so it is written after the work was saved by hand.
  const auto go = std::make_shared<std::atomic<bool>>(false);
  struct AtTheEnd {
    std::shared_ptr<std::atomic<bool>> go;
    ~AtTheEnd() { *go = true; }
  } at_the_end{go};
  auto* pool = &session->tasks.pool();
  for (int i = 0; i < pool->maxThreadCount(); ++i)
    pool->start([go] {
      while (!*go) QThread::msleep(1);
    });
  session->look.set_value(Param::exposure, 1);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        for (const auto& t : session->tasks.running())
          if (t->label == "Autosave") return true;
        return false;
      },
      5000));
  session->look.set_value(Param::exposure, 2);
  session->document.save(file);
  *go = true;
  ASSERT_TRUE(QTest::qWaitFor([&] { return session->tasks.idle(); }, 10000));
  const QDir left(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/autosave");
  EXPECT_TRUE(left.entryList(QDir::Files).isEmpty());
}

TEST_F(Safety, AnAutosaveThatFailsIsSaid) {
  open();
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
  QDir().mkpath(folder);
  QFile blocker(folder + "/autosave");
  ASSERT_TRUE(blocker.open(QIODevice::WriteOnly));
  blocker.close();
  session->look.set_value(Param::exposure, 1);
  EXPECT_TRUE(QTest::qWaitFor([&] { return w->message().contains("cannot be kept"); }, 6000));
  blocker.remove();
}

TEST_F(Safety, TypingAQualityIsOneStepOfUndo) {
  open();
  open_export_drawer();
  auto* quality = find<QSpinBox>("quality");
  quality->setFocus();
  quality->selectAll();
  const int before = session->document.undo().count();
  QTest::keyClicks(quality, "78");
  QTest::keyClick(quality, Qt::Key_Return);
  EXPECT_EQ(session->document.decisions().output.quality, 78);
  EXPECT_EQ(session->document.undo().count(), before + 1);
}

TEST_F(Safety, TheFirstClickOnExportAfterTypingAFolderCounts) {
  open();
  session->document.edit("short", [](Shoot& s) {
    s.decisions.out = 2;
    s.decisions.output.pattern = "x_###";
  });
  open_export_drawer();
  auto* folder = find<QLineEdit>("folder");
  auto* go = find<QPushButton>("primary");
  folder->setFocus();
  QTest::keyClicks(folder, QString::fromStdString((dir / "typed").string()));
  QApplication::processEvents();
  // With the mouse, as the window has it: press takes the focus, release must find the button.
  const QPoint at = go->mapTo(w.get(), go->rect().center());
  QWidget* under = w->childAt(at);
  ASSERT_EQ(under, go);
  QTest::mousePress(go, Qt::LeftButton);
  go->setFocus(Qt::MouseFocusReason);
  QApplication::processEvents();
  EXPECT_EQ(w->childAt(at), go);
  QTest::mouseRelease(go, Qt::LeftButton);
  EXPECT_EQ(exported().written, 3);
}

void turn(QWidget* widget, QPoint angle) {
  const QPointF at = widget->rect().center();
  QWheelEvent e(at, widget->mapToGlobal(at), {}, angle, Qt::NoButton, {}, Qt::NoScrollPhase, false);
  QApplication::sendEvent(widget, &e);
}

TEST_F(Safety, TheWheelChangesNoNumberThatWasNotChosen) {
  open();
  w->open_drawer(DrawerId::look);
  auto* exposure = find<Ruler>("exposure");
  const QPoint middle = exposure->scale_rect().center();
  QTest::mouseMove(exposure, middle);
  w->picture().setFocus();
  for (int i = 0; i < 5; ++i) turn(exposure, {0, 120});
  EXPECT_TRUE(session->document.decisions().look.keys.empty());
  exposure->setFocus();
  turn(exposure, {120, 0});  // sideways
  turn(exposure, {-240, 30});
  EXPECT_TRUE(session->document.decisions().look.keys.empty());
  for (int i = 0; i < 10; ++i) turn(exposure, {0, 4});  // a touchpad
  EXPECT_EQ(exposure->value(), 0);
  for (int i = 0; i < 20; ++i) turn(exposure, {0, 4});
  EXPECT_NEAR(exposure->value(), exposure->spec().step, 1e-9);
  turn(exposure, {0, -240});
  EXPECT_NEAR(exposure->value(), -exposure->spec().step, 1e-9);
  // Boxes of choices and numbers neither.
  open_export_drawer();
  for (const char* name : {"format", "size"}) {
    auto* box = find<QComboBox>(name);
    turn(box, {0, -120});
    EXPECT_EQ(box->currentIndex(), 0);
  }
  auto* quality = find<QSpinBox>("quality");
  turn(quality, {0, -120});
  EXPECT_EQ(quality->value(), 92);
}

TEST_F(Safety, AZoomedTimelineStaysInItsLanes) {
  open();
  auto& t = w->timeline();
  session->playhead.set_frame(24);
  const QImage whole = t.grab().toImage();
  const double x = t.x_of(24);
  for (int i = 0; i < 8; ++i) {
    QWheelEvent e({x, 40}, t.mapToGlobal(QPointF(x, 40)), {}, {0, 120}, Qt::NoButton, {},
                  Qt::NoScrollPhase, false);
    QApplication::sendEvent(&t, &e);
  }
  std::vector<int> all(48);
  std::iota(all.begin(), all.end(), 0);
  session->playhead.select(all);
  const QImage zoomed = t.grab().toImage();
  ASSERT_GT(t.x_of(25) - t.x_of(24), 50);
  // Names at the left (below the first one's stops), and the edge at the right.
  auto same = [&](QRect area) {
    for (int y = area.top(); y <= area.bottom(); ++y)
      for (int px = area.left(); px <= area.right(); ++px)
        if (whole.pixel(px, y) != zoomed.pixel(px, y)) return false;
    return true;
  };
  EXPECT_TRUE(same(QRect(0, 0, 61, t.height())));
  EXPECT_TRUE(same(QRect(t.width() - 13, 0, 13, t.height())));
}

// Two frames, two steps of undo, even where the same ruler moved right after.
TEST_F(Safety, WhatIsSetAtTwoFramesIsTwoSteps) {
  open();
  session->playhead.set_frame(5);
  session->look.set_value(Param::contrast, 10);
  session->playhead.set_frame(6);
  session->look.set_value(Param::contrast, 20);
  ASSERT_EQ(session->document.undo().count(), 2);
  session->document.undo().undo();
  ASSERT_EQ(session->document.decisions().look.keys.size(), 1u);
  EXPECT_EQ(session->document.decisions().look.keys[0].frame, FrameId{5});
  EXPECT_EQ(session->document.decisions().look.keys[0].values[Param::contrast], 10);
}

TEST_F(Safety, ADoubleClickGoesBackToThePresetNotToZero) {
  open();
  w->open_drawer(DrawerId::look);
  for (const auto& [page, name] :
       {std::pair{"page_light", "temperature"}, {"page_colours", "saturation"}}) {
    click(find<QToolButton>(page));
    QApplication::processEvents();
    auto* ruler = find<Ruler>(name);
    ASSERT_TRUE(ruler->isVisible());
    drag(ruler, ruler->scale_rect().center(), ruler->scale_rect().center() + QPoint(30, 0));
    EXPECT_NE(ruler->value(), ruler->spec().preset) << name;
    QTest::mouseDClick(ruler, Qt::LeftButton, {}, ruler->scale_rect().center());
    EXPECT_NEAR(ruler->value(), ruler->spec().preset, 0.5) << name;
  }
  EXPECT_NEAR(session->document.decisions().look.keys.at(0).values[Param::temperature],
              session->document.shoot().as_shot.kelvin, 1);
}

// The picture of time follows the hand: a wheel turned to the right shows what is later.
TEST_F(Safety, TheTimelinePansTheWayOfTheHand) {
  open();
  auto& t = w->timeline();
  for (int i = 0; i < 6; ++i) turn(&t, {0, 120});
  const double before = t.x_of(24);
  turn(&t, {-240, 0});
  EXPECT_LT(t.x_of(24), before - 5);
  turn(&t, {480, 0});
  EXPECT_GT(t.x_of(24), before + 5);
}

// The light is planned for the film: what lies outside of it has no say and no goal.
TEST_F(Safety, InAndOutLeadToANewPlan) {
  open();
  session->document.edit("light",
                         [](Shoot& s) { s.decisions.level.on = s.decisions.deflicker.on = true; });
  ASSERT_TRUE(settled());
  ASSERT_FALSE(std::isnan(session->light.plan().deflickered[3]));
  session->playhead.set_frame(10);
  key(Qt::Key_I);
  ASSERT_TRUE(settled());
  EXPECT_TRUE(std::isnan(session->light.plan().deflickered[3]));
  EXPECT_FALSE(std::isnan(session->light.plan().deflickered[10]));
  session->playhead.set_frame(30);
  key(Qt::Key_O);
  ASSERT_TRUE(settled());
  EXPECT_TRUE(std::isnan(session->light.plan().deflickered[40]));
  session->document.undo().undo();
  ASSERT_TRUE(settled());
  EXPECT_FALSE(std::isnan(session->light.plan().deflickered[40]));
}

// Of many pictures that are asked for, the newest is there first, and those that nobody waits for
// any more are not made at all.
TEST_F(Safety, TheNewestPictureComesFirst) {
  open();
  session->look.set_value(Param::contrast, 30);  // all have to be made anew
  std::vector<int> order;
  QObject::connect(&w->preview(), &Preview::ready, [&](int frame) { order.push_back(frame); });
  for (int f = 0; f < 40; ++f) (void)w->preview().get(f, Rendering::live);
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return !w->preview().get(39, Rendering::live, false).isNull(); }, 10000));
  const auto newest = std::find(order.begin(), order.end(), 39) - order.begin();
  EXPECT_LE(newest, 4);  // behind the two that had begun
  ASSERT_TRUE(QTest::qWaitFor([&] { return order.size() >= 10; }, 5000));
  QTest::qWait(200);
  EXPECT_EQ(std::count(order.begin(), order.end(), 15), 0) << "withdrawn";
}

// Window and export agree where the size has another shape than the crop.
TEST_F(Safety, TheVignetteLiesWhereTheFilmIsCut) {
  open();
  session->document.edit("shape", [](Shoot& s) { s.decisions.output.pixels.exact = {160, 160}; });
  session->look.set_value(Param::vignette, -100);
  ASSERT_TRUE(settled());
  const int frame = session->playhead.frame();
  const auto seen = w->preview().get(frame, Rendering::live, false);
  EXPECT_EQ(seen.shows.part(), session->document.courses()
                                   .framing.film(frame, output_size(session->document.shoot()))
                                   .part());
  const auto film = develop_film_frame(
      film_recipe(session->document.shoot(), session->document.courses(), session->light.plan(),
                  itself(frame), {false, {160, 160}, {}}));
  ASSERT_TRUE(film);
  const QImage made = to_qimage(to_srgb8(*film));
  auto mean = [](const QImage& i, double x0, double x1) {
    double sum = 0, n = 0;
    for (int y = i.height() / 4; y < i.height() * 3 / 4; ++y)
      for (int x = static_cast<int>(x0 * i.width()); x < x1 * i.width(); ++x)
        sum += qGreen(i.pixel(x, y)), ++n;
    return sum / n;
  };
  for (const auto& [x0, x1] : {std::pair{0.0, 0.08}, {0.46, 0.54}, {0.92, 1.0}})
    EXPECT_NEAR(mean(seen.image, x0, x1), mean(made, x0, x1), 3) << x0;
}

// However much is worked on, the window paints: work has threads of its own.
TEST_F(Safety, TheWindowPaintsWhileAllHandsAreBusy) {
  open();
  w->picture().grab();
  const auto go = std::make_shared<std::atomic<bool>>(false);
  for (int i = 0; i < 12; ++i)
    session->tasks.start("Busy", [go](const Work&) -> TaskList::Finish {
      while (!*go) QThread::msleep(1);
      return {};
    });
  // Something must let go in the end, or a window that waits would wait for ever.
  std::thread rescue([go] {
    for (int i = 0; i < 300 && !*go; ++i) QThread::msleep(10);
    *go = true;
  });
  QElapsedTimer clock;
  clock.start();
  for (int f = 0; f < 5; ++f) {
    session->playhead.set_frame(f);
    w->picture().grab();
  }
  EXPECT_LT(clock.elapsed(), 2000);
  EXPECT_FALSE(*go);
  *go = true;
  rescue.join();
}

}  // namespace
}  // namespace tsukimi::app
