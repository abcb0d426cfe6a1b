// SPDX-License-Identifier: GPL-3.0-or-later
// The mask of a place on a picture, row by row: 0 where it does nothing, 1 where it is whole.
//
// Shapes are smooth steps: between the two lines of a graduated one, along their normal; over the
// outer part of an ellipse's radius; of a painted one the coverage of its strokes. They are put
// together as probabilities are: adding m + s - m s, taking away m (1 - s), cutting m s.
#pragma once

#include "framing/placement.h"
#include "places/place.h"

namespace tsukimi {

// The light of a row by which a mask may be limited (develop/smooth_light.h).
struct RowLight {
  const float* tone = nullptr;                     // CIE lightness, 0..100
  const float *hue_a = nullptr, *hue_b = nullptr;  // Oklab's opponents
};

class Mask {
 public:
  // frame: the upright frame in any unit; its shape counts.
  Mask(const PlaceAt& place, const Placement& placement, Size picture, Size frame);
  // out: as many values as the picture has columns.
  void row(int y, const RowLight& light, float* out) const;

 private:
  // Of the frame, in its widths: the place of the picture's first pixel, from column to column, and
  // from row to row.
  struct View {
    double corner_x = 0, corner_y = 0, across_x = 0, across_y = 0, down_x = 0, down_y = 0;
  };
  struct Drawn {
    ShapeKind kind;
    Combine how;
    float numbers[8];  // of a graduated shape, or of an ellipse
    std::shared_ptr<const Coverage> coverage, next;
    float dissolved;
    Similarity from, next_from;  // how what is painted has moved since
  };
  View along(int y, int from, int to) const;  // of some pixels of a row; `down` means nothing there
  View moved_back(const View& view, const Similarity& by) const;
  void draw(const Drawn& shape, const View& at, int width, float* out) const;
  PlaceAt place_;
  std::vector<Drawn> shapes_;
  Placement placement_;
  Size picture_;
  View view_;
  double aspect_;
};

}  // namespace tsukimi
