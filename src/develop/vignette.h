// Vignette: the edges of the finished picture darker or brighter.
#pragma once

#include "develop/parameters.h"
#include "develop/rows.h"
#include "image/image.h"

namespace tsukimi {

// Multiplies light by 2^(stops), up to two stops in the corners, from an inner oval outwards,
// smooth at both ends. Shape follows the picture.
class Vignette {
 public:
  Vignette(const Look& look, Size picture);
  bool changes() const { return stops_ != 0; }
  void apply(const Rows& rows, int y) const;  // linear, in place

 private:
  float stops_, inner_;
  Size size_;
};

}  // namespace tsukimi
