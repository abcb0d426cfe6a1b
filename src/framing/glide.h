// SPDX-License-Identifier: GPL-3.0-or-later
// A keyframed move of the crop.
//
// Between two key frames the crop goes one straight way as it is seen: its size runs on a log
// scale, its place in proportion to its size (so that a push towards a point keeps that point where
// it is), its angle evenly. One curve says how far along the whole way it is at a moment, measured
// as the viewer sees it, in widths of the crop; so speed does not jump at a key frame, and easing
// is of the move as a whole. Exact at the key frames, monotone between, at rest outside.
#pragma once

#include "adjust/interpolate.h"
#include "framing/geometry.h"

namespace tsukimi {

// Top left and width as if it were not turned, in fractions of the frame's width (x, w) and height
// (y); degrees clockwise about its middle. Its height follows from the film's shape.
struct CropAt {
  double x = 0, y = 0, w = 1, angle = 0;
  bool operator==(const CropAt&) const = default;
};

struct GlideKey {
  double time = 0;  // of the film, in its frames
  CropAt crop;
  Easing easing = Easing::smooth;
};

class Glide {
 public:
  // keys: strictly ascending in time, at least one. frame: width over height of the frame.
  Glide(const std::vector<GlideKey>& keys, double frame, double shape);
  CropAt at(double time) const;
  // How fast it is seen to move: widths of the crop (or sizes by a factor e) a frame of the film.
  double speed(double time) const;

 private:
  std::vector<GlideKey> keys_;
  std::vector<double> way_;                           // of each key frame, along all of it
  MonotoneCurve along_;                               // how far, over time
  MonotoneCurve size_, across_, down_, turn_;         // over the way
  std::vector<double> across_at_, down_at_, factor_;  // of key frames; of the size after each
};

}  // namespace tsukimi
