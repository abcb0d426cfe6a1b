// The four pixels round a place, and how far it lies between them.
#pragma once

#include <algorithm>

namespace tsukimi {

struct Corners {
  int x0, y0, x1, y1;
  float tx, ty;  // 0..1 on the way from 0 to 1

  // Places outside are taken as those on the border.
  Corners(int width, int height, float x, float y) {
    x = std::clamp(x, 0.0f, static_cast<float>(width - 1));
    y = std::clamp(y, 0.0f, static_cast<float>(height - 1));
    x0 = static_cast<int>(x), y0 = static_cast<int>(y);
    x1 = std::min(x0 + 1, width - 1), y1 = std::min(y0 + 1, height - 1);
    tx = x - static_cast<float>(x0), ty = y - static_cast<float>(y0);
  }
};

}  // namespace tsukimi
