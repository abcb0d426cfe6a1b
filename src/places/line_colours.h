// Which colours lie under a line, and which of them lie side by side there: those of what is
// painted, whatever its texture.
#pragma once

#include <cstdint>
#include <vector>

#include "image/image.h"

namespace tsukimi {

class LineColours {
 public:
  // stops: a picture. under: of the pixels from (left, top) on, row by row, `width` of them, those
  // that are sure to be painted. apart: how far pixels side by side are, in pixels.
  LineColours(const Image& stops, const std::vector<std::uint8_t>& under, int left, int top,
              int width, int apart);

  struct Colour {
    std::size_t coarse = 0;
    float common = 0;  // 0: it is not there; 1: it is as common as most that are
  };
  Colour find(float red, float green, float blue) const;

  // 1: both lie under the line and side by side there as often as if they were strewn over it, as
  // in a meadow. 0: one of them does not, or they keep apart, as hill and sky do even where the
  // line touches both.
  float belong(const Colour& a, const Colour& b) const;

 private:
  std::vector<float> count_;  // of fine colours, smoothed over neighbours
  float common_ = 1;          // what nine tenths of the pixels under the line have, and more
  std::vector<float> share_, pairs_;  // of coarse colours; of pairs of them, a little apart
};

}  // namespace tsukimi
