// SPDX-License-Identifier: GPL-3.0-or-later
// How the tones of a picture are spread.
#pragma once

#include <array>
#include <cstdint>

#include "image/image.h"
#include "proxy/proxy.h"

namespace tsukimi {

struct Histogram {
  static constexpr int kBins = 256;
  enum Channel { red, green, blue, brightness, channels };
  std::array<std::array<std::uint32_t, kBins>, channels> counts{};
  double clipped = 0, black = 0;  // shares of the pixels, 0..1
};

// What counts as white and as black of a display value: one step is the dither's.
constexpr int kDisplayClipped = 254, kDisplayBlack = 1;
constexpr bool is_clipped(int r, int g, int b) {  // some channel is
  return r >= kDisplayClipped || g >= kDisplayClipped || b >= kDisplayClipped;
}
constexpr bool is_black(int r, int g, int b) {  // all channels are
  return r <= kDisplayBlack && g <= kDisplayBlack && b <= kDisplayBlack;
}

// A bin per display value; brightness is luma (ITU-R BT.709).
// every: of so many rows one is counted.
Histogram histogram_of(const Encoded8& picture, int every = 1);
constexpr int luma(int r, int g, int b) { return (13933 * r + 46871 * g + 4732 * b) >> 16; }

// Before white balance and look, even bins of stops from kSensorFloor to 0, where the sensor (or
// the still picture's white) ends; brightness is (R + 2 G + B) / 4. Clipped: counted in every pixel
// of the file; black: no brighter than the floor.
constexpr double kSensorFloor = -14;  // stops
Histogram sensor_histogram_of(const Proxy& proxy);

}  // namespace tsukimi
