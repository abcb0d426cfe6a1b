// SPDX-License-Identifier: GPL-3.0-or-later
// A frame's light against what lies round it, as frames are compared in it.
#pragma once

#include "image/image.h"

namespace tsukimi {

struct RelativeLight {
  Plane light;  // (R + 2 G + B) / 4 of camera RGB
  Plane stops;  // log2 of it, the mean over a box round each pixel taken off
  Plane known;  // 1; 0 where it is too dark or clipped
};
constexpr float kDarkestKnown = 0.004f;

// camera RGB, 0..1; reach: half a side of the box, pixels. counts: 1, or 0 for what takes no part:
// what moves there is not seen beside it either.
RelativeLight relative_light(const Image& rgb, int reach, const Plane* counts = nullptr);

}  // namespace tsukimi
