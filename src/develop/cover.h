// SPDX-License-Identifier: GPL-3.0-or-later
// Covering a part of a picture with another part of it, without a seam.
#pragma once

#include <functional>
#include <vector>

#include "image/image.h"
#include "image/orientation.h"

namespace tsukimi {

// The pixels of one channel: every `step`-th, from (left, top) on, of a plane of light or of a
// mosaic's numbers.
struct Channel {
  Size size;  // of the whole picture
  int step = 1, left = 0, top = 0;
  int colour = 0;  // 0 red, 1 green, 2 blue
  float* plane = nullptr;
  std::uint16_t* numbers = nullptr;  // light = (number - black) * scale
  std::size_t stride = 0;            // from row to row
  float black = 0, scale = 1;
  float clipping = 1e9f;  // light from here on is not known

  float get(int x, int y) const {
    const std::size_t i = static_cast<std::size_t>(y) * stride + static_cast<std::size_t>(x);
    return plane ? plane[i] : (static_cast<float>(numbers[i]) - black) * scale;
  }
  void set(int x, int y, float light) const {
    const std::size_t i = static_cast<std::size_t>(y) * stride + static_cast<std::size_t>(x);
    if (plane) {
      plane[i] = light;
      return;
    }
    const float n = light / scale + black + 0.5f;
    numbers[i] = static_cast<std::uint16_t>(n < 0 ? 0.0f : n > 65535 ? 65535.0f : n);
  }
  int first_column(int x) const { return x + ((left - x) % step + step) % step; }
  int first_row(int y) const { return y + ((top - y) % step + step) % step; }
};

// All in pixels of the picture.
struct CoverShape {
  std::vector<Point> corners;  // of the part that is covered wholly
  double radius = 0;           // above 0: it is a disc round `middle`, and the corners lie on it
  Point middle;
  double margin = 2;   // over which it fades outside of it
  int dx = 0, dy = 0;  // to what covers it; even
  float strength = 1;
};

// 1 inside, falling smoothly to 0 at the margin.
float cover_weight(const CoverShape& shape, double x, double y);

// What is the same for every channel: the border, and how much each part of it counts at every node
// of a coarse grid.
class Cover {
 public:
  Cover(CoverShape shape, Size picture, int step);
  const CoverShape& shape() const { return shape_; }
  // with: what covers it where that is no other part of the picture; none: that.
  using Light = std::function<float(int x, int y)>;
  void apply(const Channel& channel, const Light& with = {}) const;

 private:
  CoverShape shape_;
  int x0_ = 0, y0_ = 0, x1_ = 0, y1_ = 0;  // what is touched
  int cell_ = 1, across_ = 0, down_ = 0;   // of the grid
  double reach_ = 0;                       // round a place of the border
  std::vector<Point> border_;
  std::vector<float> weights_;  // of the border's places, node by node
};

}  // namespace tsukimi
