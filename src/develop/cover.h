// Covering a part of a picture with another part of it, without a seam.
#pragma once

#include <functional>
#include <vector>

#include "image/image.h"
#include "image/orientation.h"

namespace tsukimi {

// The pixels of one channel: every `step`-th, from (left, top) on.
struct Channel {
  Size size;  // of the whole picture
  int step = 1, left = 0, top = 0;
  std::function<float(int x, int y)> get;  // light of a pixel of this channel
  std::function<void(int x, int y, float light)> set;
  float clipping = 1e9f;  // light from here on is not known
  int first_column(int x) const { return x + ((left - x) % step + step) % step; }
  int first_row(int y) const { return y + ((top - y) % step + step) % step; }
};

// All in pixels of the picture.
struct CoverShape {
  std::vector<Point> corners;  // of the part that is covered wholly
  double margin = 2;           // over which it fades outside of it
  int dx = 0, dy = 0;          // to what covers it; even
  float strength = 1;
  // What covers it where that is no other part of the picture; none: that.
  std::function<float(int x, int y)> with = {};
};

void cover(const Channel& channel, const CoverShape& shape);

// 1 inside of the corners, falling smoothly to 0 at the margin.
float cover_weight(const CoverShape& shape, double x, double y);

// Whether what covers it lies within the picture, and does not touch what is covered.
bool fits(const CoverShape& shape, Size picture);

}  // namespace tsukimi
