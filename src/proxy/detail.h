// SPDX-License-Identifier: GPL-3.0-or-later
// How sharp a frame is, place by place: what tells a frame that lost focus from its neighbours.
//
// A block's value is the fourth-power mean of the second differences of neighbouring green pixels
// of the full-size frame, along x and along y (their geometric mean), over the block's mean light.
// The fourth power lets edges count and noise not. Only every few rows are looked at: edges do not
// hide from a sample.
#pragma once

#include <array>
#include <functional>
#include <vector>

#include "image/image.h"

namespace tsukimi {

struct DetailGrid {
  static constexpr int kColumns = 24, kRows = 16, kCells = kColumns * kRows;
  std::vector<float> sharp;  // kCells, >= 0; orientation applied
};

// green_row gives `size.width` values of a row, of which those in even rows at offset, offset +
// step
// ... are green: step 2 for a Bayer mosaic, 1 for a plane where every pixel is. Not yet oriented.
// Rows are asked for on many threads.
DetailGrid measure_detail(Size size, const std::function<void(int y, float* out)>& green_row,
                          int step, int offset, int orientation);

}  // namespace tsukimi
