// SPDX-License-Identifier: GPL-3.0-or-later
// How the camera moved over a sequence: measured in the proxies.
#pragma once

#include <string>

#include "document/shoot/shoot.h"
#include "motion/track.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// Frames against those one, two and four before them. Those that cannot be read, or in which there
// is nothing to hold on to, lie as the frames round them do.
MotionTrack measure_motion(const Shoot& shoot, ProxyStore& store, const Work& work = {});

// A sentence that says so, and what to do, when the shoot is steadied by a movement that does not
// fit all of the picture; else empty.
std::string misfit_note(const Shoot& shoot);

}  // namespace tsukimi
