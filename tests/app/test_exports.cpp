// SPDX-License-Identifier: GPL-3.0-or-later
// Films, saved settings and the queue, by the hands of a user.
#include <gtest/gtest.h>
#include <signal.h>

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QProcess>
#include <QSpinBox>

#include "app/drawers/panels.h"
#include "document/framing/output_size.h"
#include "document/values.h"
#include "output/probe_film.h"
#include "output/saved_export.h"
#include "output/verify.h"
#include "window_fixture.h"

namespace tsukimi::app {
namespace {

class ExportsWindow : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    std::error_code ec;
    fs::remove_all(exports_folder(), ec);
  }
  // The first frames of the harbour, somewhere else.
  fs::path some_frames(const std::string& name, int count) {
    const fs::path folder = dir / name;
    fs::create_directories(folder);
    const auto frames = scan_folder(harbour().folder)->frames;
    for (int i = 0; i < count; ++i)
      fs::copy_file(harbour().folder / frames[static_cast<std::size_t>(i)].file,
                    folder / frames[static_cast<std::size_t>(i)].file);
    return folder;
  }
  void choose(const char* name, const QString& text) {
    auto* box = find<QComboBox>(name);
    const int index = box->findText(text);
    ASSERT_GE(index, 0) << name << " " << text.toStdString();
    box->setCurrentIndex(index);
    emit box->activated(index);
  }
  void type(const char* name, const QString& text) {
    auto* field = find<QWidget>(name);
    field->setFocus();
    QTest::keyClick(field, Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(field, text);
    QTest::keyClick(field, Qt::Key_Return);
  }
  const FilmSettings& film(std::size_t i = 0) { return session->document.decisions().films.at(i); }
  // The one who works on this test's queue, and no other.
  static bool kill_maker() {
    const std::string home = getenv("XDG_DATA_HOME");
    for (const auto& e : fs::directory_iterator("/proc")) {
      const long pid = std::atol(e.path().filename().c_str());
      auto text = [&](const char* name) {
        std::ifstream in(e.path() / name);
        return std::string((std::istreambuf_iterator<char>(in)), {});
      };
      if (pid > 0 && text("cmdline").find("tsukimi-batch") != std::string::npos &&
          text("environ").find("XDG_DATA_HOME=" + home) != std::string::npos)
        return kill(static_cast<pid_t>(pid), SIGKILL) == 0;
    }
    return false;
  }
  void open_exports() {
    click(&w->rail(), w->rail().entry_rect(static_cast<int>(DrawerId::exports)).center());
  }
};

TEST_F(ExportsWindow, AProfileForOldViewersIsAskedForAndTakenBack) {
  open(some_frames("old", 3));
  open_exports();
  auto* box = find<QCheckBox>("oldProfile");
  ASSERT_FALSE(box->isChecked());
  QTest::mouseClick(box, Qt::LeftButton, {}, QPoint(8, box->height() / 2));
  EXPECT_EQ(session->document.decisions().output.icc, 2);
  EXPECT_TRUE(box->isChecked());
  session->document.undo().undo();
  EXPECT_EQ(session->document.decisions().output.icc, 4);
  EXPECT_FALSE(box->isChecked());
}

TEST_F(ExportsWindow, AFilmIsMadeAsTheDrawerSays) {
  open(some_frames("tide", 6));
  open_exports();
  click(find<QToolButton>("add_film"));
  ASSERT_EQ(session->document.decisions().films.size(), 1u);
  EXPECT_FALSE(session->document.decisions().makes_frames) << "who wants a film wants a film";
  EXPECT_TRUE(find<QLineEdit>("film_file")->placeholderText().endsWith("tide-film.mp4"));
  choose("container", ".mov");
  EXPECT_EQ(film().codec, Codec::h264) << "what fits stays";
  choose("codec", "ProRes 422 HQ");
  EXPECT_EQ(film().bits, 10);
  EXPECT_FALSE(find<QSpinBox>("film_quality")->isVisible()) << "it has none";
  choose("container", ".mp4");
  EXPECT_EQ(film().codec, Codec::h264) << "ProRes does not go there";
  choose("film_bits", "10 bit");
  choose("film_chroma", "4:2:2");
  type("film_quality", "60");
  choose("film_rate", "29.97 fps");
  choose("film_size", "Exactly");
  type("film_width", "120");
  type("film_height", "68");
  type("film_file", QString::fromStdString((dir / "out" / "evening.mp4").string()));
  toggle("poster");
  type("poster_number", "3");
  click(find<QPushButton>("primary"));
  const QueuedJob job = exported();
  ASSERT_EQ(job.state, JobState::done) << job.problem;
  EXPECT_EQ(job.written, 6);
  const auto probed = probe_film(dir / "out" / "evening.mp4");
  ASSERT_TRUE(probed);
  EXPECT_EQ(probed->frames, 6);
  EXPECT_EQ(probed->size, (Size{120, 68}));
  EXPECT_NEAR(probed->seconds, 6 * 1001.0 / 30000, 1e-4);
  EXPECT_TRUE(fs::exists(dir / "out" / "evening.jpg"));
  EXPECT_TRUE(verify_export(dir / "out")->complete());
  // Undo takes the film away with all that was said of it.
  while (session->document.undo().canUndo()) session->document.undo().undo();
  EXPECT_TRUE(session->document.decisions().films.empty());
  EXPECT_TRUE(QTest::qWaitFor([&] { return !w->findChild<QWidget*>("export_page_1"); }, 2000));
}

TEST_F(ExportsWindow, AFilmOfWideLightIsShownWithinTheScreensRange) {
  open(some_frames("wide", 4));
  session->document.edit("brighter", [](Shoot& s) { set_value(s, Param::exposure, 0, 3); });
  open_exports();
  click(find<QToolButton>("add_film"));
  auto white = [&] {
    EXPECT_TRUE(settled());
    (void)w->picture().grab();
    const QImage image = w->picture().shown().picture().image;
    int out = 0;
    for (int y = 0; y < image.height(); ++y)
      for (int x = 0; x < image.width(); ++x) out += qGreen(image.pixel(x, y)) == 255;
    return out;
  };
  auto is_said = [&] {
    return std::ranges::any_of(w->findChildren<QLabel*>("quiet"), [](const QLabel* label) {
      return label->text().contains("above white");
    });
  };
  const int clipped = white();
  ASSERT_GT(clipped, 500);
  EXPECT_FALSE(is_said());
  choose("film_space", "Rec. 2020, PQ");
  EXPECT_EQ(film().light, FilmLight::pq);
  EXPECT_EQ(film().codec, Codec::h265);
  EXPECT_EQ(film().bits, 10);
  EXPECT_LT(white(), clipped / 10) << "what lay above white is told apart";
  EXPECT_TRUE(is_said());
  choose("film_bits", "8 bit");
  EXPECT_EQ(film().light, FilmLight::standard) << "eight bits cannot hold it";
  EXPECT_TRUE(check_film(film()));
  choose("film_space", "Rec. 2020, PQ");
  choose("codec", "H.264");
  EXPECT_EQ(film().light, FilmLight::standard) << "it cannot hold it";
  EXPECT_EQ(white(), clipped);
  choose("film_space", "Rec. 2020, HLG");
  EXPECT_EQ(film().light, FilmLight::hlg);
  EXPECT_EQ(film().codec, Codec::h265);
}

TEST_F(ExportsWindow, FramesAndTwoFilmsComeFromOnePass) {
  open(some_frames("tide", 5));
  open_exports();
  type("folder", QString::fromStdString((dir / "f").string()));
  click(find<QToolButton>("add_film"));
  EXPECT_TRUE(session->document.decisions().makes_frames) << "they were asked for";
  type("film_file", QString::fromStdString((dir / "large.mp4").string()));
  click(find<QToolButton>("add_film"));
  type("film_file", QString::fromStdString((dir / "small.mp4").string()));
  choose("film_size", "Exactly");
  type("film_width", "96");
  type("film_height", "64");
  EXPECT_EQ(find<QPushButton>("primary")->text(), "Export 5 frames, 2 films");
  click(find<QPushButton>("primary"));
  const QueuedJob job = exported();
  ASSERT_EQ(job.state, JobState::done) << job.problem;
  EXPECT_EQ(job.written, 15);
  EXPECT_EQ(probe_film(dir / "large.mp4")->size, (Size{300, 200}));
  EXPECT_EQ(probe_film(dir / "small.mp4")->size, (Size{96, 64}));
  EXPECT_TRUE(verify_export(dir / "f")->complete());
  // The page of a film that is removed goes to the one before it.
  click(find<QPushButton>("remove_film"));
  EXPECT_EQ(session->document.decisions().films.size(), 1u);
  EXPECT_EQ(find<QLineEdit>("film_file")->text(),
            QString::fromStdString((dir / "large.mp4").string()));
}

TEST_F(ExportsWindow, SavedSettingsAreUsedKeptAndForgotten) {
  open(some_frames("tide", 3));
  open_exports();
  click(find<QPushButton>("saved_exports"));
  auto* list = find<QListWidget>("exports");
  ASSERT_EQ(list->count(), 5);
  auto pick = [&](const QString& name) {
    const auto found = list->findItems(name, Qt::MatchExactly);
    ASSERT_EQ(found.size(), 1) << name.toStdString();
    list->setCurrentItem(found.first());
  };
  pick("HD film to share");
  EXPECT_FALSE(find<QPushButton>("remove_export")->isEnabled()) << "it is ours";
  click(find<QPushButton>("apply_export"));
  EXPECT_FALSE(session->document.decisions().makes_frames);
  EXPECT_EQ(film().pixels.exact, (Size{1920, 1080}));
  EXPECT_EQ(film().codec, Codec::h264);
  EXPECT_TRUE(find<QPushButton>("primary")->isVisible()) << "back in the drawer";
  EXPECT_TRUE(find<QLineEdit>("film_file")->isVisible()) << "at what is made";
  click(find<QToolButton>("export_page_0"));
  EXPECT_FALSE(find<QLineEdit>("pattern")->isEnabled()) << "no frames are made";
  toggle("makes_frames");
  EXPECT_TRUE(find<QLineEdit>("pattern")->isEnabled());
  toggle("makes_frames");
  // Another way, kept under a name.
  session->document.edit("small", [](Shoot& s) { s.decisions.films[0].quality = 40; });
  click(find<QPushButton>("saved_exports"));
  type("export_name", "Small ones");
  click(find<QPushButton>("save_export"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return list->count() == 6; }, 5000));
  pick("Small ones");
  click(find<QPushButton>("duplicate_export"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return list->count() == 7; }, 5000));
  session->document.edit("large", [](Shoot& s) { s.decisions.films[0].quality = 95; });
  pick("Small ones, a copy");
  click(find<QPushButton>("apply_export"));
  EXPECT_EQ(film().quality, 40);
  click(find<QPushButton>("saved_exports"));
  pick("Small ones, a copy");
  click(find<QPushButton>("remove_export"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return list->count() == 6; }, 5000));
  EXPECT_EQ(find_export("Small ones")->job.films.at(0).quality, 40);
}

// Two shoots: one after the other, one rests, one goes before the other, one is cancelled.
TEST_F(ExportsWindow, TheQueueWorksOnTwoShoots) {
  open(some_frames("first", 40));
  session->document.edit("out", [&](Shoot& s) {
    s.decisions.output.folder = (dir / "a").string();
    s.decisions.output.pixels.exact = {1500, 1000};  // so that it takes a while
    s.decisions.output.pattern = "a_##";
  });
  open_exports();
  click(find<QPushButton>("primary"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return exports().jobs().size() == 1; }, 10000));
  const int first = exports().jobs()[0].id;
  open(some_frames("second", 6));
  session->document.edit("out", [&](Shoot& s) {
    s.decisions.output.folder = (dir / "b").string();
    s.decisions.output.pattern = "b_##";
  });
  open_exports();
  click(find<QPushButton>("primary"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return exports().jobs().size() == 2; }, 10000));
  const int second = exports().jobs()[1].id;
  click(find<QPushButton>("show_queue"));
  auto* jobs = find<QTreeWidget>("queue_jobs");
  ASSERT_EQ(jobs->topLevelItemCount(), 2);
  EXPECT_TRUE(jobs->topLevelItem(0)->text(0).startsWith("first"));
  EXPECT_TRUE(jobs->topLevelItem(1)->text(0).startsWith("second"));
  // Some of its frames are made: these are kept.
  ASSERT_TRUE(QTest::qWaitFor(
      [&] {
        const auto& p = exports().progress();
        return p && p->step == "exporting" && p->done > 1 &&
               find<QProgressBar>("queue_progress")->isVisible();
      },
      20000));
  // The first rests: the second is made meanwhile.
  jobs->setCurrentItem(jobs->topLevelItem(0));
  click(find<QPushButton>("queue_pause"));
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return exports().job(second)->state == JobState::done; }, 60000));
  EXPECT_EQ(exports().job(first)->state, JobState::paused);
  EXPECT_TRUE(verify_export(dir / "b")->complete());
  EXPECT_FALSE(verify_export(dir / "a")->complete());
  EXPECT_EQ(session->exports.last()->written, 6);
  // It goes on where it was.
  ASSERT_TRUE(QTest::qWaitFor([&] { return !exports().running(); }, 20000));
  jobs->setCurrentItem(jobs->topLevelItem(0));
  EXPECT_EQ(find<QPushButton>("queue_pause")->text(), "Go on");
  click(find<QPushButton>("queue_pause"));
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return exports().job(first)->state == JobState::done; }, 60000));
  EXPECT_GT(exports().job(first)->kept, 0);
  EXPECT_TRUE(verify_export(dir / "a")->complete());
  // Another place, and away.
  click(find<QPushButton>("queue_down"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return exports().jobs()[1].id == first; }, 5000));
  click(find<QPushButton>("queue_clear"));
  ASSERT_TRUE(QTest::qWaitFor([&] { return exports().jobs().empty(); }, 5000));
  EXPECT_EQ(jobs->topLevelItemCount(), 0);
}

// What was left when a program was killed is offered at the next start, in whatever window.
TEST_F(ExportsWindow, WhatWasNotFinishedIsOfferedAtTheNextStart) {
  const Shoot shoot = *start_shoot(*scan_folder(some_frames("tide", 4)));
  ExportSettings how;
  how.folder = (dir / "o").string();
  ASSERT_TRUE(Queue(Queue::users_folder()).add(shoot, "tide", {{how}, {}}));
  w = std::make_unique<MainWindow>();
  session = &w->session();
  w->show();
  EXPECT_FALSE(exports().running()) << "nobody asked for it yet";
  auto* go_on = find<QPushButton>("queue_go_on");
  ASSERT_TRUE(go_on->isVisible());
  EXPECT_TRUE(find<QLabel>("queue_left")->text().contains("not finished"));
  click(go_on);
  ASSERT_TRUE(
      QTest::qWaitFor([&] { return exports().jobs().at(0).state == JobState::done; }, 60000));
  EXPECT_FALSE(go_on->isVisible());
  EXPECT_TRUE(verify_export(dir / "o")->complete());
}

// Whoever makes the exports is killed while the window is there: it is said, and goes on when
// asked.
TEST_F(ExportsWindow, AMakerThatIsKilledIsNotFollowedUnasked) {
  open(some_frames("tide", 40));
  session->document.edit("out", [&](Shoot& s) {
    s.decisions.output.folder = (dir / "o").string();
    s.decisions.output.pixels.exact = {1500, 1000};
  });
  open_exports();
  click(find<QPushButton>("primary"));
  ASSERT_TRUE(QTest::qWaitFor(
      [&] { return exports().progress() && exports().progress()->done > 2; }, 30000));
  ASSERT_TRUE(kill_maker());
  auto* go_on = find<QPushButton>("queue_go_on");
  ASSERT_TRUE(QTest::qWaitFor([&] { return go_on->isVisible(); }, 10000));
  QTest::qWait(3500);
  EXPECT_FALSE(exports().running());
  click(go_on);
  EXPECT_EQ(exported().state, JobState::done);
  EXPECT_TRUE(verify_export(dir / "o")->complete());
}

// A frame that cannot be read leaves no film with a hole: it is named, and made from its neighbours
// when that is wanted.
TEST_F(ExportsWindow, AHoleInAFilmIsFilledFromItsNeighbours) {
  const fs::path folder = some_frames("tide", 6);
  open(folder);
  session->document.edit("film", [&](Shoot& s) {
    s.decisions.makes_frames = false;
    s.decisions.films = {FilmSettings{.file = (dir / "f.mp4").string()}};
  });
  open_exports();
  const auto frames = session->document.shoot().sequence.frames;
  fs::resize_file(folder / frames[3].file, frames[3].bytes / 2);
  click(find<QPushButton>("primary"));
  const QueuedJob hole = exported();
  EXPECT_EQ(hole.state, JobState::failed);
  EXPECT_EQ(hole.lacking, std::vector<int>{4}) << hole.problem;
  EXPECT_FALSE(fs::exists(dir / "f.mp4"));
  auto* fill = find<QPushButton>("fill_holes");
  ASSERT_TRUE(fill->isVisible());
  click(fill);
  const QueuedJob whole = exported();
  EXPECT_EQ(whole.state, JobState::done) << whole.problem;
  EXPECT_EQ(probe_film(dir / "f.mp4")->frames, 6);
  EXPECT_TRUE(is_set_aside(session->document.shoot(), 3));
}

}  // namespace
}  // namespace tsukimi::app
