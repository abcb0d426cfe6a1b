// SPDX-License-Identifier: GPL-3.0-or-later
// Range: a scene of more stops than a picture shows, brought into it.
//
// The base of log light comes nearer to middle grey; what stands on it, texture and detail, keeps
// its contrast. The base is edge-preserving over three scales, each smoothing what the one before
// left: guided filters of 1.2, 4 and 12 % of the long side, so that a
// pebble keeps its shape and a dark shore is opened as a whole. Its anchor is middle grey, which
// the exposure moves: no frame's own pixels steer it, so nothing pumps over the frames.
#pragma once

#include <optional>

#include "adjust/parameters.h"
#include "develop/rows.h"
#include "image/guided.h"

namespace tsukimi {

class WideRange {
 public:
  WideRange(const Image& image, const Look& look);  // linear Rec. 2020
  bool changes() const { return amount_ > 0; }
  void apply(const Rows& rows, int y) const;  // row y of that image, in place

 private:
  float amount_;  // 0..1
  GuidedCoefficients base_;
  Enlarge enlarge_;
};

}  // namespace tsukimi
