// SPDX-License-Identifier: GPL-3.0-or-later
// A small copy of a picture, on which what is smooth is measured: so proxies and full frames agree.
#pragma once

#include "image/image.h"

namespace tsukimi {

// Means over cells; 240 pixels on the long side, or as it is.
Image shrink(const Image& image);

// The radius round a pixel of a small copy that counts as its surroundings: 3.3 % of the long side.
int base_radius(Size small);

}  // namespace tsukimi
