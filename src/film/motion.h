// How the camera moved over a sequence: measured in the proxies.
#pragma once

#include "document/shoot.h"
#include "motion/track.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// Frames against those one, two and four before them. Those that cannot be read, or in which there
// is nothing to hold on to, lie as the frames round them do.
MotionTrack measure_motion(const Shoot& shoot, ProxyStore& store, const Work& work = {});

}  // namespace tsukimi
