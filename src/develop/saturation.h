// Saturation in Oklab (Ottosson 2020), where a change of chroma keeps lightness and hue.
#pragma once

#include "image/image.h"

namespace tsukimi {

// Linear Rec. 2020, in place. amount: -100 (grey) .. 100 (twice the chroma); 0 does nothing.
void apply_saturation(Image& image, double amount);

}  // namespace tsukimi
