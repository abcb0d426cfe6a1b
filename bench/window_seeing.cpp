// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/window.h"

#include <QElapsedTimer>
#include <algorithm>
#include <cstdio>
#include <set>

#include "base/cache.h"
#include "bench/frames.h"

namespace tsukimi::bench {
namespace {

double ms(const QElapsedTimer& timer) { return static_cast<double>(timer.nsecsElapsed()) * 1e-6; }

}  // namespace

void rounds(app::MainWindow& window, QSize screen) {
  auto& session = window.session();
  if (window.transport().playing()) window.transport().toggle_play();
  session.playhead.set_frame(0);
  window.picture().set_bare(true);
  window.picture().setFixedSize(screen);
  (void)wait([&] { return window.picture().shown().is_as_asked(); });
  const int frames = session.document.shoot().frame_count();
  std::vector<int> shown;
  const auto watch = QObject::connect(&session.playhead, &app::Playhead::frame_changed, &window,
                                      [&] { shown.push_back(session.playhead.frame()); });
  QElapsedTimer timer;
  timer.start();
  window.transport().toggle_play();
  const double round = 1000.0 * frames / session.document.decisions().fps;
  std::printf("whole screen %dx%d, %d frames at %.0f a second, shown in each round:",
              screen.width(), screen.height(), frames, session.document.decisions().fps);
  for (int i = 1; i <= 3; ++i) {
    (void)wait([&] { return ms(timer) > i * round; });
    std::printf(" %zu", std::set<int>(shown.begin(), shown.end()).size());
    shown.clear();
  }
  std::printf("\n");
  window.transport().toggle_play();
  QObject::disconnect(watch);
  window.picture().set_bare(false);
  window.picture().setMinimumSize(320, 200);
  window.picture().setMaximumSize(QWIDGETSIZE_MAX, QWIDGETSIZE_MAX);
  QTest::qWait(100);  // until it may be smaller again
  window.resize(1280, 800);
}

void scrubbing(app::MainWindow& window) {
  auto& session = window.session();
  constexpr int kStep = 33;  // ms
  int in_time = 0;
  const int frames = session.document.shoot().frame_count();
  for (int i = 0; i < frames; ++i) {
    QElapsedTimer timer;
    timer.start();
    session.playhead.set_frame(i);
    bool there = false;
    while (ms(timer) < kStep) {
      QCoreApplication::processEvents(QEventLoop::AllEvents, 2);
      there |= window.picture().shown().is_as_asked();
    }
    in_time += there;
  }
  std::printf("scrubbing at 30 a second: %d of %d pictures in time\n", in_time, frames);
}

void tones_over_time(app::MainWindow& window) {
  auto& session = window.session();
  session.tones.set_on(true);
  (void)wait([&] { return session.tones.up_to_date(); });
  QElapsedTimer timer;
  timer.start();
  session.look.set_value(Param::shadows, session.document.course().at(Param::shadows, 0) + 7);
  double first = 0;
  const auto seen = QObject::connect(&session.tones, &app::TonesOverTime::changed, &window, [&] {
    if (first == 0) first = ms(timer);
  });
  (void)wait([&] { return session.tones.up_to_date(); });
  QObject::disconnect(seen);
  std::printf("tones over time of %d frames: first after %.2f s, all after %.2f s\n",
              session.document.shoot().frame_count(), first / 1000, ms(timer) / 1000);
  session.tones.set_on(false);
}

void timeline_drawn(app::MainWindow& window) {
  auto& session = window.session();
  std::vector<double> plain, with_tones;
  for (auto* times : {&plain, &with_tones}) {
    session.tones.set_on(times == &with_tones);
    (void)wait([&] { return times == &plain || session.tones.up_to_date(); });
    for (int i = 0; i < 21; ++i) {
      QTest::qWait(5);
      emit session.light.changed();  // everything is drawn anew
      QElapsedTimer timer;
      timer.start();
      window.timeline().repaint();
      times->push_back(ms(timer));
    }
    std::ranges::sort(*times);
  }
  session.tones.set_on(false);
  std::printf("timeline of %d frames from nothing, ms: median %.1f, with tones over time %.1f\n",
              session.document.shoot().frame_count(), plain[10], with_tones[10]);
}

void stalls(app::MainWindow& window) {
  auto& session = window.session();
  // A cache of its own, so that every frame is new.
  const auto cache = std::filesystem::temp_directory_path() / "tsukimi-bench-new";
  std::error_code ec;
  std::filesystem::remove_all(cache, ec);
  set_cache(cache, 10ull << 30);
  window.open(shot(1920, 1280, 72));
  (void)wait([&] { return session.document.is_open() && !session.opener.opening(); });
  session.tones.set_on(true);
  std::vector<double> gaps;
  QElapsedTimer all, since;
  all.start();
  since.start();
  int moved = 0;
  // An event every few ms: how much later than that it comes is how long the thread was not free.
  QTimer beat;
  beat.setTimerType(Qt::PreciseTimer);
  QObject::connect(&beat, &QTimer::timeout, &beat, [&] {
    gaps.push_back(ms(since));
    since.restart();
    if (++moved % 4 == 0) session.look.set_value(Param::exposure, 0.02 * (moved % 100), "drag");
  });
  beat.start(4);
  (void)wait([&] { return ms(all) > 4000 && session.light.known(); });
  beat.stop();
  std::ranges::sort(gaps);
  std::printf(
      "while proxies are made, tones fill and a ruler is dragged: the window's thread was busy for "
      "%.0f ms at most, %.0f in 99 %%\n",
      gaps.back(), gaps[gaps.size() * 99 / 100]);
  session.tones.set_on(false);
  (void)wait([&] { return session.tasks.idle(); });
  set_cache({}, 10ull << 30);
}

void warm_opening(app::MainWindow& window, const std::filesystem::path& shoot) {
  auto& session = window.session();
  window.open(shot(480, 320, 4));
  (void)wait([&] { return !session.opener.opening() && session.tasks.idle(); });
  QElapsedTimer timer;
  timer.start();
  window.open(shoot);
  (void)wait([&] {
    return !session.opener.opening() && session.document.shoot().sequence.folder == shoot &&
           window.picture().shown().is_as_asked();
  });
  const double picture = ms(timer) / 1000;
  (void)wait([&] { return session.light.known() && session.tasks.idle(); });
  std::printf("opening %d frames that are in the cache: picture after %.2f s, light after %.2f s\n",
              session.document.shoot().frame_count(), picture, ms(timer) / 1000);
}

}  // namespace tsukimi::bench
