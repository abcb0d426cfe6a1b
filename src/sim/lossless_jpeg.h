// SPDX-License-Identifier: GPL-3.0-or-later
// Lossless JPEG (ITU-T T.81, annex H), as cameras and converters pack their mosaics.
#pragma once

#include <cstdint>
#include <vector>

namespace tsukimi::sim {

struct LosslessOptions {
  int components = 2;       // 1 to 4; cameras take two: samples at even and odd columns
  int predictor = 1;        // 1 to 7; 1: the sample to the left
  int bits = 16;            // of a sample
  int restart_lines = 0;    // a restart marker after so many lines; 0: none
  bool long_codes = false;  // one to sixteen bits, else all of five
};

// The width is a multiple of the components.
std::vector<std::uint8_t> lossless_jpeg(const std::uint16_t* samples, int width, int height,
                                        std::size_t stride, const LosslessOptions& how = {});

}  // namespace tsukimi::sim
