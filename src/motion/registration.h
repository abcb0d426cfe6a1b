// SPDX-License-Identifier: GPL-3.0-or-later
// How far one picture lies from another: translation, to a few hundredths of a pixel.
//
// Lucas & Kanade 1981 on pictures whose local contrast is normalised (so that a change of light is
// none), coarse to fine; every block of the picture finds its own way and the weighted median of
// the blocks decides, so that a ferry or a cloud does not take the tripod with it.
#pragma once

#include "image/image.h"

namespace tsukimi {

struct Shift {
  double dx = 0, dy = 0;  // pixels of the pictures; content of b lies at content of a + (dx, dy)
  bool known = false;     // false: nothing to hold on to (black, uniform, wholly different)
};

// A picture prepared for comparing: log light, local mean removed, local contrast 1.
struct Prepared {
  std::vector<Plane> levels;  // fine to coarse, each half the size
};
// `light` is linear, >= 0, of any scale.
Prepared prepare_shift(const Plane& light);

Shift measure_shift(const Prepared& a, const Prepared& b);

Plane half_size(const Plane& in);       // means of two by two
Image halved(Image image, int widest);  // as often as it takes

}  // namespace tsukimi
