// SPDX-License-Identifier: GPL-3.0-or-later
// Where the picture is cut and how large it becomes.
#pragma once

#include <optional>
#include <string>

#include "image/image.h"

namespace tsukimi {

// A part of the frame, in fractions of its width and height (orientation applied).
struct Rect {
  double x = 0, y = 0, w = 1, h = 1;
  bool operator==(const Rect&) const = default;
};

// "16:9" to 16/9; nothing when it is not two positive numbers.
std::optional<double> parse_aspect(const std::string& text);

// The largest rectangle of the aspect ratio (width/height) inside a frame, centred.
Rect crop_to_aspect(Size frame, double aspect);

// The same shape moved so that its top left is (x, y), held inside the frame.
Rect moved_inside(Rect rect, double x, double y);

struct Span {  // first <= i < last
  int first = 0, last = 0;
  int count() const { return last - first; }
};

// A part of a result.
struct Tile {
  int x0, y0, x1, y1;
};

// A part of a source picture: its first pixel is the source's (left, top).
struct Band {
  const Image& image;
  int left = 0, top = 0;
};

// Cuts `part` out of the image and resamples it to `size` in one pass: Lanczos-3, widened for
// reduction (Turkowski 1990), in the light the image is in. Edge pixels are repeated outside.
Image resample(const Image& image, Rect part, Size size);

// The same in pieces, for sources that are made piece by piece.
class Resampler {
 public:
  Resampler(Size source, Rect part, Size result);

  // What of the source a tile needs. Tiles are as wide as the result.
  Span rows(const Tile& tile) const;
  Span columns(const Tile&) const { return columns(); }
  int tile_width() const { return static_cast<int>(x_.first.size()); }

  // A tile of the result. On one thread.
  void run(const Band& source, const Tile& tile, Image& out) const;

 private:
  struct Kernel {  // for each output sample: first input sample and weights (sum 1)
    Kernel(double start, double length, int output);
    int taps;
    std::vector<int> first;
    std::vector<float> weights;
  };
  Span columns() const;

  Size source_;
  Kernel x_, y_;
};

// The size a part has at full resolution: of the whole frame all of it, of a crop in even numbers
// (films need them).
Size natural_size(Size frame, Rect part);

}  // namespace tsukimi
