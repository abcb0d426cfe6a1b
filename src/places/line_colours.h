// SPDX-License-Identifier: GPL-3.0-or-later
// Which colours lie under a line: those of what is painted, whatever its texture.
#pragma once

#include <cstdint>
#include <vector>

#include "image/image.h"

namespace tsukimi {

class LineColours {
 public:
  // stops: a picture. under: of the pixels from (left, top) on, row by row, `width` of them, those
  // that are sure to be painted.
  LineColours(const Image& stops, const std::vector<std::uint8_t>& under, int left, int top,
              int width);

  // 0: that colour is not there; 1: it is as common as most that are.
  float share(float red, float green, float blue) const;

 private:
  std::vector<float> count_;  // by colour, smoothed over neighbours
  float common_ = 1;          // what nine tenths of the pixels under the line have, and more
};

}  // namespace tsukimi
