// SPDX-License-Identifier: GPL-3.0-or-later
// Where repairs lie in the pixels of a picture: as the frame lies in its file, or upright.
#pragma once

#include "camera/sensor_frame.h"
#include "develop/cover.h"
#include "proxy/proxy.h"
#include "repairs/repair.h"

namespace tsukimi {

struct RepairGeometry {
  Size pixels;      // of the whole frame
  int orientation;  // 1: upright
  double width;     // of the upright frame, in these pixels

  Point to_pixels(const Point& upright) const {
    const Point p = point_in_file(upright, orientation);
    return {p.x * pixels.width, p.y * pixels.height};
  }
  Point to_upright(const Point& at) const {
    return upright_point({at.x / pixels.width, at.y / pixels.height}, orientation);
  }
};
RepairGeometry geometry_of(const SensorFrame& frame);
RepairGeometry geometry_of(const Proxy& proxy);

// What a spot or an area covers, and over how much more it fades.
CoverShape outline_of(const SpotAt& spot, const RepairGeometry& in);
CoverShape outline_of(const AreaAt& area, const RepairGeometry& in);

}  // namespace tsukimi
