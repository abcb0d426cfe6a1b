// How sharp a frame is, place by place: what tells a frame that lost focus from its neighbours.
//
// A block's value is the fourth-power mean of the second differences of neighbouring green pixels
// of the full-size frame, along x and along y (their geometric mean), over the block's mean light.
// The fourth power lets edges count and noise not. Only every few rows are looked at: edges do not
// hide from a sample.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "image/image.h"

namespace tsukimi {

struct DetailGrid {
  static constexpr int kColumns = 24, kRows = 16, kCells = kColumns * kRows;
  std::vector<float> sharp;  // kCells, >= 0; orientation applied
};

// `green` is a Bayer mosaic with the colours `cfa` (see SensorFrame), or with `mosaic` false a
// plane where every pixel is green. Not yet oriented.
DetailGrid measure_detail(const Plane& green, bool mosaic, const std::array<std::uint8_t, 4>& cfa,
                          int orientation);

}  // namespace tsukimi
