// SPDX-License-Identifier: GPL-3.0-or-later
// Values between the pixels of a picture; its border is held.
#pragma once

#include <algorithm>

#include "image/image.h"

namespace tsukimi {

// The four pixels round a place, and how far it lies between them.
struct Corners {
  int x0, y0, x1, y1;
  float tx, ty;  // 0..1 on the way from 0 to 1

  // Places outside are taken as those on the border.
  template <typename T>
  Corners(int width, int height, T x, T y) {
    x = std::clamp(x, T{0}, static_cast<T>(width - 1));
    y = std::clamp(y, T{0}, static_cast<T>(height - 1));
    x0 = static_cast<int>(x), y0 = static_cast<int>(y);
    x1 = std::min(x0 + 1, width - 1), y1 = std::min(y0 + 1, height - 1);
    tx = static_cast<float>(x - static_cast<T>(x0));
    ty = static_cast<float>(y - static_cast<T>(y0));
  }
};

// Between the values of four corners: a and b above, c and d below.
template <typename T>
T mixed(const T& a, const T& b, const T& c, const T& d, float tx, float ty) {
  return (a * (1 - tx) + b * tx) * (1 - ty) + (c * (1 - tx) + d * tx) * ty;
}

template <typename T>
float bilinear(const Plane& p, T x, T y) {
  const Corners at(p.width, p.height, x, y);
  const float *above = p.row(at.y0), *below = p.row(at.y1);
  return mixed(above[at.x0], above[at.x1], below[at.x0], below[at.x1], at.tx, at.ty);
}

}  // namespace tsukimi
