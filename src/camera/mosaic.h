// SPDX-License-Identifier: GPL-3.0-or-later
// A Bayer mosaic as the file holds it, and how its numbers become light.
#pragma once

#include <array>
#include <cstdint>
#include <memory>

#include "image/image.h"

namespace tsukimi {

// Never written to, so copies share the numbers.
struct Mosaic {
  int width = 0, height = 0;  // at least 4
  std::array<std::uint8_t, 4> cfa{0, 1, 1,
                                  2};  // channel (0 R, 1 G, 2 B) at (0,0) (1,0) (0,1) (1,1)
  // Per place of the pattern: light = (number - black) * scale; 0 is black, 1 is clipping, noise
  // goes below 0.
  std::array<float, 4> black{}, scale{1, 1, 1, 1};
  std::shared_ptr<const std::uint16_t> numbers = {};
  // In place of the numbers, where several shots were merged: light (black 0, scale 1).
  std::shared_ptr<const float> merged = {};
  std::size_t stride = 0;  // numbers, or floats, from row to row

  const std::uint16_t* row(int y) const { return numbers.get() + y * stride; }
  const float* merged_row(int y) const { return merged.get() + y * stride; }
  static int place(int x, int y) { return (y & 1) * 2 + (x & 1); }
  float light(int x, int y) const {
    if (merged) return merged_row(y)[x];
    return (static_cast<float>(row(y)[x]) - black[place(x, y)]) * scale[place(x, y)];
  }
  void light_row(int y, float* out) const;  // width values
};

}  // namespace tsukimi
