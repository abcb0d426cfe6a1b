// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/orientation.h"

#include "base/parallel.h"

namespace tsukimi {

Point point_in_file(Point p, int orientation) {
  switch (orientation) {
    case 2:
      return {1 - p.x, p.y};
    case 3:
      return {1 - p.x, 1 - p.y};
    case 4:
      return {p.x, 1 - p.y};
    case 5:
      return {p.y, p.x};
    case 6:
      return {p.y, 1 - p.x};
    case 7:
      return {1 - p.y, 1 - p.x};
    case 8:
      return {1 - p.y, p.x};
    default:
      return p;
  }
}

Point upright_point(Point p, int orientation) {
  // Quarter turns undo one another; all others undo themselves.
  return point_in_file(p, orientation == 6 ? 8 : orientation == 8 ? 6 : orientation);
}

Image oriented(Image in, int orientation) {
  if (orientation <= 1 || orientation > 8) return in;
  const bool side = lies_on_its_side(orientation);
  Image out(side ? in.height : in.width, side ? in.width : in.height);
  auto source = [&](int x, int y) {
    const Point p = point_in_file({(x + 0.5) / out.width, (y + 0.5) / out.height}, orientation);
    return static_cast<std::ptrdiff_t>(p.y * in.height) * in.width +
           static_cast<std::ptrdiff_t>(p.x * in.width);
  };
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const auto from = source(0, y), step = out.width > 1 ? source(1, y) - from : 0;
      for (int c = 0; c < 3; ++c) {
        const float* src = in.planes[c].data.data() + from;
        float* dst = out.planes[c].row(y);
        for (int x = 0; x < out.width; ++x) dst[x] = src[x * step];
      }
    }
  });
  return out;
}

}  // namespace tsukimi
