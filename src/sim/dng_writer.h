// SPDX-License-Identifier: GPL-3.0-or-later
// Writes a Bayer mosaic as DNG 1.4: CFA in a sub-image, uncompressed or packed without loss, an
// embedded JPEG preview, EXIF.
#pragma once

#include <bit>

#include "base/result.h"
#include "sim/camera.h"
#include "sim/lossless_jpeg.h"

namespace tsukimi::sim {

// The kinds of file that cameras and converters write; the default is the simulated camera's.
struct DngLayout {
  CameraColour colour = camera_colour();
  bool second_matrix = true;
  int bits = 16;                              // 8..16; below 16 samples are packed
  int channels = 1;                           // 3: interpolated already ("linear")
  std::vector<std::uint8_t> cfa{0, 1, 1, 2};  // square, row by row; empty: no colour filters
  std::array<int, 4> black{kBlack, kBlack, kBlack, kBlack};  // at the places of 2x2 pixels
  int white = kWhite;
  std::vector<std::uint16_t> linearization;  // stored number to linear number; empty: linear
  std::endian order = std::endian::little;
  int top = 0, left = 0, bottom = 0, right = 0;  // masked borders
  std::array<int, 4> seen{0, 0, 0, 0};           // default crop: left, top, width, height; 0: all
  Mat3 calibration;                              // of this one camera
  std::array<float, 3> analog_balance{1, 1, 1};  // gains before the numbers were made
  int orientation = 1;
  bool compressed = false;  // lossless JPEG; of 16 bits and one channel
  int tile = 128;           // pixels along a side of what is compressed by itself; 0: one strip
  int lines_together = 1;   // lines of a tile that make one line of its JPEG
  LosslessOptions packing;
  bool tells_exposure = true;                   // shutter, aperture, ISO
  std::vector<float> black_across, black_down;  // added to the black level per column, per row
};

// preview_jpeg: the encoded preview and its size; empty: none. mosaic.data: channels side by side.
// Result: the bytes of the file.
Result<std::vector<std::uint8_t>> make_dng(const Mosaic& mosaic, const Shot& shot,
                                           const std::vector<std::uint8_t>& preview_jpeg,
                                           Size preview, const DngLayout& layout = {});

constexpr const char* kCameraName = "Tidewater S1";
constexpr const char* kLensName = "Tidewater 28 mm f/2.8";
constexpr int kFocalLength = 28;

}  // namespace tsukimi::sim
