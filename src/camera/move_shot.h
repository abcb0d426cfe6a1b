// SPDX-License-Identifier: GPL-3.0-or-later
// Lays a shot of a moment onto the frame that it belongs to, before they are merged.
#pragma once

#include "camera/sensor_frame.h"

namespace tsukimi {

// Moves the picture so that what lay at (x + dx, y + dy) comes to (x, y), in pixels of the sensor
// (of a still: of its picture) as it lies in the file: by a cubic (Keys 1981, a = -0.5) through the
// samples of the same colour. `keeps_edge`: what the shot does not have is its nearest pixel; else
// it counts as clipped, so that merging takes other shots there. frame: with its light.
void move_shot(SensorFrame& frame, double dx, double dy, bool keeps_edge);

}  // namespace tsukimi
