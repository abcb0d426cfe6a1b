// SPDX-License-Identifier: GPL-3.0-or-later
// A small linear copy of a frame, from which the whole look can be developed live, and the light
// grid from which brightness is measured.
#pragma once

#include <cstdint>
#include <filesystem>

#include "base/result.h"
#include "camera/camera_colour.h"
#include "camera/merge.h"
#include "camera/sensor_frame.h"
#include "framing/geometry.h"
#include "image/image.h"
#include "image/reduce.h"
#include "proxy/detail.h"

namespace tsukimi {

// Mean sensor light on a fixed grid over the frame, orientation applied.
struct LightGrid {
  static constexpr int kColumns = 96, kRows = 64, kCells = kColumns * kRows;
  std::vector<float> light;           // kCells; (R + 2 G + B) / 4 of camera RGB; 0..1, of merged
                                      // shots in units of the frame's own exposure
  std::vector<std::uint8_t> clipped;  // kCells; share of clipped pixels, 255 = all
  // Red and blue of the camera, one after the other, each a mean of 2x2 cells, row by row.
  static constexpr int kColourColumns = kColumns / 2, kColourRows = kRows / 2,
                       kColourCells = kColourColumns * kColourRows;
  std::vector<float> red_blue;  // 2 kColourCells
  // Of shots that were merged: as measured in them.
  MergeInfo merged;
};

// The numbers that a proxy holds for light of 0..1: even steps, with a pedestal so that noise below
// black survives. Of merged shots, which hold more stops than that, the steps widen with the light:
// a cubic, whose first steps are kFinest as wide and the last three times.
class StoredLight {
 public:
  static constexpr float kScale = 60000, kPedestal = 2048, kFinest = 1.0f / 128;

  explicit StoredLight(bool of_merged) : first_(of_merged ? kFinest : 1) {}
  bool is_even() const { return first_ == 1; }
  float light(float number) const {
    const float t = (number - kPedestal) * (1 / kScale);
    return t * (first_ + (1 - first_) * t * t);
  }
  std::uint16_t number(float light) const;  // the nearest

 private:
  float first_;
};

// Camera RGB, before white balance.
struct Proxy {
  int width = 0, height = 0;
  Pixels<std::uint16_t> data;  // planar R, G, B, as stored() says
  bool of_merged = false;      // shots of several exposures
  CameraColour colour;
  Size full;            // size of the whole frame, orientation applied
  int orientation = 1;  // EXIF orientation that was applied
  double headroom = 0;  // SensorFrame::headroom
  // Pixels of the sensor along a side of one of the proxy's. 0: a thumbnail, of which nobody knows
  // where in it a single pixel went.
  int block = 1;
  // What of the proxy the frame covers, as it lies in the file: the last blocks may reach beyond.
  double covered_x = 1, covered_y = 1;
  LightGrid grid;
  DetailGrid detail;

  StoredLight stored() const { return StoredLight(of_merged); }
};

// A part of the upright frame as a part of the proxy, both in fractions.
Rect part_of_proxy(const Proxy& proxy, Rect part);

// Where the light of a pixel of a mosaic, as it lies in the file, went: pixels of the proxy with
// the weight it has in them, the largest first.
struct ProxyShare {
  int x = 0, y = 0;
  float weight = 0;
};
class ProxyShares {
 public:
  explicit ProxyShares(const Proxy& proxy);
  std::vector<ProxyShare> of(int sensor_x, int sensor_y) const;

 private:
  const Proxy& proxy_;
  std::vector<ReduceAxis> across_, down_;  // by parity
};

constexpr int kProxyWidth = 960, kThumbnailWidth = 240;  // long side, about

// Made small by the whole number that brings the long side near kProxyWidth (reduce.h); of a mosaic
// each channel from its own pixels. The last pixels may reach beyond the frame.
Proxy make_proxy(const SensorFrame& frame);

// The same picture, small: box means, kThumbnailWidth on the long side. Grids are not carried.
Proxy make_thumbnail(const Proxy& proxy);

// Stored proxy to camera RGB, 0..1.
Image unpack(const Proxy& proxy);
Plane green_of(const Proxy& proxy);  // of it the one that is compared with other frames

// The cache file of one proxy: written whole or not at all, checked when read.
Result<void> save_proxy(const Proxy& proxy, const std::filesystem::path& path);
Result<Proxy> load_proxy(const std::filesystem::path& path);
struct ProxyHead {
  CameraColour colour;
  Size full;
  LightGrid grid;
  DetailGrid detail;
  Proxy thumbnail;
};
// Without the picture, and on request without the thumbnail.
Result<ProxyHead> load_proxy_head(const std::filesystem::path& path, bool with_thumbnail = true);

}  // namespace tsukimi
