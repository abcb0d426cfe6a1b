// One frame from sensor light to a finished picture: the chain, in the order of
// docs/computation.md.
#pragma once

#include "develop/parameters.h"
#include "frames/proxy.h"
#include "frames/sensor_frame.h"
#include "framing/geometry.h"

namespace tsukimi {

// Everything that decides how one frame looks. Nothing in it comes from that frame's own pixels.
struct FrameSettings {
  Look look;
  double correction = 0;  // stops: levelling + deflicker
  Rect crop;
  Size size;  // of the result
  bool operator==(const FrameSettings&) const = default;
};

// Full quality. Linear Rec. 2020 of settings.size, ready for the display step.
Image develop_frame(SensorFrame frame, const FrameSettings& settings);

// The same look on a proxy, fast enough for playback. A width of 0 in settings.size keeps the
// proxy's own pixels.
Image develop_proxy(const Proxy& proxy, const FrameSettings& settings);

}  // namespace tsukimi
