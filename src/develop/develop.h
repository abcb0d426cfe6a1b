// One frame from sensor light to a finished picture: the chain, in the order of
// docs/computation.md.
#pragma once

#include <memory>

#include "adjust/parameters.h"
#include "camera/hot_pixels.h"
#include "camera/lens_profile.h"
#include "camera/sensor_frame.h"
#include "framing/geometry.h"
#include "proxy/proxy.h"

namespace tsukimi {

// Everything that decides how one frame looks. Nothing in it comes from that frame's own pixels.
struct FrameSettings {
  Look look;
  double correction = 0;  // stops: levelling + deflicker
  Rect crop;
  Size size;                                         // of the result
  double iso = 100;                                  // what the camera noted: what noise to expect
  std::shared_ptr<const HotPixels> hot_pixels = {};  // of the sequence; none: not looked for
  std::shared_ptr<const LensMesh> lens = {};         // none: not known, or not wanted
  Rect film = {};  // part of the result that the film shows: all, but where a view shows more
  bool operator==(const FrameSettings&) const = default;
};

// Full quality. Linear Rec. 2020 of settings.size, ready for the display step.
Image develop_frame(SensorFrame frame, const FrameSettings& settings);

// The same look on a proxy, fast enough for playback. A width of 0 in settings.size keeps the
// proxy's own pixels.
Image develop_proxy(const Proxy& proxy, const FrameSettings& settings);

// The part of the chain that follows geometry, in place: noise, then everything that shapes light
// and colour. reduction: sensor pixels per pixel of the image, along one side.
void apply_look(Image& image, const FrameSettings& settings, double reduction);

// The airlight of a frame as it stands before haze, for the look of a key frame.
std::array<float, 3> airlight_of(const Proxy& proxy, FrameSettings settings);

}  // namespace tsukimi
