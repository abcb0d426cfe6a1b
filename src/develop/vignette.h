// SPDX-License-Identifier: GPL-3.0-or-later
// Vignette: the edges of the finished picture darker or brighter.
#pragma once

#include "adjust/parameters.h"
#include "develop/rows.h"
#include "framing/geometry.h"

namespace tsukimi {

// Multiplies light by 2^(stops), up to two stops in the corners, from an inner oval outwards,
// smooth at both ends. Shape follows the film's picture, which is all of this one or a part of it.
class Vignette {
 public:
  Vignette(const Look& look, Size picture, Rect film);
  bool changes() const { return stops_ != 0; }
  void apply(const Rows& rows, int y) const;  // linear, in place

 private:
  float stops_, inner_;
  float unit_x_, unit_y_, middle_x_, middle_y_;  // (pixel + 0.5) * unit - middle: -1 to 1
};

}  // namespace tsukimi
