// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the window benchmark: each prints its line.
#pragma once

#include <QTest>
#include <functional>

#include "app/main_window.h"

namespace tsukimi::bench {

inline bool wait(const std::function<bool()>& for_it) { return QTest::qWaitFor(for_it, 120000); }

// All frames at a time of 24 a second: the second round of the film on a whole screen of this size.
void rounds(app::MainWindow& window, QSize screen);
// The pointer drawn over the timeline at 30 steps a second: how many pictures were there in time.
void scrubbing(app::MainWindow& window);
// From a moved ruler until every column of tones over time is there.
void tones_over_time(app::MainWindow& window);
// The timeline from nothing, all lanes.
void timeline_drawn(app::MainWindow& window);
// How long the window's thread was not free while proxies are made of frames that are new, tones
// over time fill, and a ruler is dragged.
void stalls(app::MainWindow& window);
// From the command to the picture and its light, everything in the cache.
void warm_opening(app::MainWindow& window, const std::filesystem::path& shoot);

}  // namespace tsukimi::bench
