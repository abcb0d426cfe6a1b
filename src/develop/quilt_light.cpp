// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/quilt_light.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

QuiltLight::QuiltLight(const Quilt& quilt, const RepairGeometry& in, const Channel& channel)
    : quilt_(quilt), channel_(channel), origin_(in.to_pixels({0, 0})) {
  auto way = [&](const Point& p) {
    const Point to = in.to_pixels(p);
    return Point{to.x - origin_.x, to.y - origin_.y};
  };
  across_ = way({1, 0});
  down_ = way({0, 1});
  for (const Point& p : quilt.offsets) {
    const Point to = way(p);
    offsets_.push_back(
        {static_cast<int>(std::lround(to.x / 2)) * 2, static_cast<int>(std::lround(to.y / 2)) * 2});
  }
}

QuiltLight::Between::Between(double at, double from, double cell, int count) {
  const double c = std::clamp((at - from) / cell - 0.5, 0.0, count - 1.0);
  first = std::min(static_cast<int>(c), std::max(0, count - 2));
  part = count > 1 ? static_cast<float>(c - first) : 0;
}

float QuiltLight::at(int x, int y) const {
  const double px = x + 0.5 - origin_.x, py = y + 0.5 - origin_.y;
  auto along = [&](const Point& axis) {
    return (px * axis.x + py * axis.y) / (axis.x * axis.x + axis.y * axis.y);
  };
  const Between i(along(across_), quilt_.from.x, quilt_.cell.x, quilt_.columns),
      j(along(down_), quilt_.from.y, quilt_.cell.y, quilt_.rows);
  float sum = 0, weights = 0;
  for (int row : {0, 1})
    for (int column : {0, 1}) {
      const float w = (row ? j.part : 1 - j.part) * (column ? i.part : 1 - i.part);
      if (w <= 0) continue;
      const auto [dx, dy] = offsets_[quilt_.which[static_cast<std::size_t>(
          (j.first + row) * quilt_.columns + i.first + column)]];
      const int sx = x + dx, sy = y + dy;
      if (sx < 0 || sy < 0 || sx >= channel_.size.width || sy >= channel_.size.height) continue;
      sum += w * channel_.get(sx, sy);
      weights += w;
    }
  return weights > 0 ? sum / weights : channel_.get(x, y);
}

}  // namespace tsukimi
