// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/repair_geometry.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {

RepairGeometry geometry_of(const SensorFrame& frame) {
  const Size size = frame.sensor_size();
  return {size, frame.orientation,
          static_cast<double>(lies_on_its_side(frame.orientation) ? size.height : size.width)};
}

// The last pixels of a proxy may reach beyond the frame.
RepairGeometry geometry_of(const Proxy& proxy) {
  const Rect all = part_of_proxy(proxy, {});
  return {{static_cast<int>(std::lround(proxy.width * all.w)),
           static_cast<int>(std::lround(proxy.height * all.h))},
          1,
          proxy.width * all.w};
}

namespace {
constexpr double kMargin = 0.3;  // of a radius, over which covers fade outside of what they cover
}

CoverShape outline_of(const AreaAt& area, const RepairGeometry& in) {
  CoverShape out;
  for (const Point& p : area.polygon) out.corners.push_back(in.to_pixels(p));
  const Bounds b = bounds_of(out.corners);
  out.margin = std::max(2.0, 0.5 * kMargin * std::min(b.width(), b.height()));
  return out;
}

CoverShape outline_of(const SpotAt& spot, const RepairGeometry& in) {
  constexpr int kCircle = 32;  // corners
  CoverShape out;
  const Point middle = in.to_pixels(spot.at);
  const double radius = spot.radius * in.width;
  out.middle = middle;
  out.radius = std::max(radius, 0.5);
  for (int i = 0; i < kCircle; ++i) {
    const double a = 2 * std::numbers::pi * i / kCircle;
    out.corners.push_back({middle.x + radius * std::cos(a), middle.y + radius * std::sin(a)});
  }
  out.margin = std::max(2.0, kMargin * radius);
  return out;
}

}  // namespace tsukimi
