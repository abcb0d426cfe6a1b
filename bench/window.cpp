// SPDX-License-Identifier: GPL-3.0-or-later
// What a user waits for in the window: from a moved slider to the new picture on screen, and frames
// per second of playback with every adjustment away from its default. Run without a display:
// QT_QPA_PLATFORM=offscreen (scripts/bench does).
#include <sys/resource.h>
#include <QApplication>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cstdio>
#include <set>

#include "app/main_window.h"
#include "base/parallel.h"
#include "bench/frames.h"
#include "bench/window.h"

using namespace tsukimi;
namespace fs = std::filesystem;

namespace {

constexpr int kFrames = 72;

using bench::wait;

void slider_to_picture(app::MainWindow& window) {
  auto& session = window.session();
  std::vector<double> times;
  for (int i = 0; i < 60; ++i) {
    QElapsedTimer timer;
    timer.start();
    session.look.set_value(Param::shadows, 10 + i % 40);
    // A still of the widget is what the screen would get.
    while (!window.picture().shown().is_as_asked())
      QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    (void)window.picture().grab();
    times.push_back(static_cast<double>(timer.nsecsElapsed()) * 1e-6);
  }
  std::sort(times.begin(), times.end());
  std::printf("slider to picture, ms: median %.0f, 95 %% below %.0f, most %.0f\n", times[30],
              times[57], times.back());
}

// A step of the playhead through a long shoot: everything but the new picture, which comes later.
void playhead_step(app::MainWindow& window) {
  auto& playhead = window.session().playhead;
  std::vector<double> times;
  for (int i = 0; i < 100; ++i) {
    QCoreApplication::processEvents();
    QElapsedTimer timer;
    timer.start();
    playhead.set_frame(20 + 29 * i);
    QCoreApplication::sendPostedEvents();  // what is to be painted is posted
    times.push_back(static_cast<double>(timer.nsecsElapsed()) * 1e-6);
    QTest::qWait(20);
  }
  std::sort(times.begin(), times.end());
  std::printf("a step of the playhead in 3,000 frames, ms: median %.1f, 95 %% below %.1f\n",
              times[50], times[95]);
}

// From the last movement to the picture that is finished from its file, on screen: the 150 ms of
// waiting whether it was the last one, reading and developing.
bool movement_to_finished(app::MainWindow& window, const char* what, const fs::path& folder) {
  auto& session = window.session();
  window.open(folder);
  if (!wait([&] {
        return session.document.is_open() && session.document.shoot().sequence.folder == folder &&
               session.light.known() && session.tasks.idle();
      }))
    return false;
  // The size that the picture has beside a drawer, in the shape of a film.
  session.document.edit("crop", [](Shoot& s) {
    s.decisions.framing = {"16:9", crop_to_aspect(s.sequence.size, 16.0 / 9)};
  });
  window.picture().setFixedSize(936 + 16, 527 + 16);
  std::vector<double> times;
  for (int i = 0; i < 9; ++i) {
    (void)wait([&] { return window.picture().shown().at_rest(); });
    QElapsedTimer timer;
    timer.start();
    session.look.set_value(Param::shadows, 10 + i);
    while (!window.picture().shown().at_rest())
      QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    (void)window.picture().grab();
    times.push_back(static_cast<double>(timer.nsecsElapsed()) * 1e-6);
  }
  std::sort(times.begin(), times.end());
  std::printf(
      "last movement to finished picture (%s, 24 megapixels at %dx%d), ms: median %.0f, most "
      "%.0f\n",
      what, window.picture().shown().picture().image.width(),
      window.picture().shown().picture().image.height(), times[4], times.back());
  window.picture().setMinimumSize(320, 200);
  window.picture().setMaximumSize(QWIDGETSIZE_MAX, QWIDGETSIZE_MAX);
  QTest::qWait(100);
  window.resize(1280, 800);
  return true;
}

double cpu() {  // seconds that all threads have worked
  rusage u{};
  getrusage(RUSAGE_SELF, &u);
  return static_cast<double>(u.ru_utime.tv_sec + u.ru_stime.tv_sec) +
         1e-6 * static_cast<double>(u.ru_utime.tv_usec + u.ru_stime.tv_usec);
}

void playback(app::MainWindow& window) {
  auto& session = window.session();
  session.playhead.set_frame(0);
  (void)wait([&] { return window.picture().shown().is_as_asked(); });
  QTest::keyClick(&window.picture(), Qt::Key_Space);
  // The first frames are a start, not a pace.
  constexpr int kFirst = 12;
  (void)wait([&] { return session.playhead.frame() >= kFirst; });
  QElapsedTimer timer;
  timer.start();
  std::set<int> shown;
  const double cpu_before = cpu();
  while (session.playhead.frame() < kFrames - 1 && timer.elapsed() < 20000) {
    QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    if (window.picture().shown().is_as_asked()) shown.insert(session.playhead.frame());
  }
  window.transport().toggle_play();
  const double busy = (cpu() - cpu_before) * 1e3 / static_cast<double>(timer.elapsed());
  std::printf("playback: %.1f frames a second, %zu of %d frames shown, %.2f cores busy\n",
              1e3 * static_cast<double>(session.playhead.frame() - kFirst) /
                  static_cast<double>(timer.elapsed()),
              shown.size(), session.playhead.frame() + 1 - kFirst, busy);
}

// What a person feels of it while the queue makes a film of frames of 24 megapixels.
void while_an_export_runs(app::MainWindow& window) {
  auto& queue = window.session().exports.queue();
  auto shoot = start_shoot(*scan_folder(bench::shot(6000, 4000, 12)));
  FilmSettings film = *usual_film(".mp4");
  film.file = (fs::temp_directory_path() / "tsukimi-bench-film.mp4").string();
  film.pixels.exact = {3840, 2160};
  ExportJob job{{}, {film}};
  job.overwrite = true;
  std::error_code ec;
  fs::remove(film.file, ec);
  queue.add(*shoot, "bench", job, [](auto) {});
  const bool runs = wait([&] {
    const auto& p = queue.progress();
    return p && p->step == "exporting" && p->done > 0;
  });
  std::printf("while an export runs%s:\n", runs ? "" : " (it does not)");
  slider_to_picture(window);
  playback(window);
  bench::scrubbing(window);
  std::printf("the export is still running: %s\n", queue.running() ? "yes" : "no");
  queue.cancel_all();
  (void)wait([&] {
    queue.look();
    return !queue.running();
  });
  fs::remove_all(film.file + ".parts", ec);
}

}  // namespace

int main(int argc, char** argv) {
  if (qEnvironmentVariableIsEmpty("DISPLAY")) qputenv("QT_QPA_PLATFORM", "offscreen");
  QStandardPaths::setTestModeEnabled(true);
  const QTemporaryDir data;  // its queue is not the user's
  qputenv("XDG_DATA_HOME", data.path().toUtf8());
  keep_freed_memory();
  QApplication application(argc, argv);
  app::MainWindow window;
  window.may_drop_changes = [] { return true; };
  window.resize(1280, 800);
  window.show();
  window.open(bench::shot(1920, 1280, kFrames));
  auto& session = window.session();
  if (!wait([&] {
        return session.document.is_open() && session.light.known() && session.tasks.idle();
      }))
    return 1;
  session.look.move_all = true;
  for (const auto& row : kLook.rows())
    if (row.id != Param::temperature && row.id != Param::tint)
      session.look.set_value(
          row.id, row.preset + 0.15 * ((row.preset < row.max ? row.max : row.min) - row.preset));
  (void)wait([&] { return session.tasks.idle() && window.picture().shown().is_as_asked(); });
  slider_to_picture(window);
  playback(window);
  bench::scrubbing(window);
  bench::rounds(window, {1920, 1080});
  while_an_export_runs(window);
  for (const auto& [what, kind] : {std::pair{"plain raw", bench::Kind::raw},
                                   {"packed raw", bench::Kind::packed},
                                   {"JPEG", bench::Kind::jpeg}})
    if (!movement_to_finished(window, what, bench::shot(6000, 4000, 4, kind))) return 1;
  window.open(bench::shot(480, 320, 3000));
  if (!wait([&] {
        return session.document.shoot().frame_count() == 3000 && session.light.known() &&
               session.tasks.idle();
      }))
    return 1;
  playhead_step(window);
  bench::timeline_drawn(window);
  bench::tones_over_time(window);
  bench::warm_opening(window, bench::shot(480, 320, 3000));
  window.open(bench::shot(480, 320, 300));
  if (!wait([&] {
        return session.document.shoot().frame_count() == 300 && session.light.known() &&
               session.tasks.idle();
      }))
    return 1;
  bench::tones_over_time(window);
  bench::stalls(window);
  return 0;
}
