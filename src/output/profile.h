// ICC profiles of the colour spaces, made by lcms2.
#pragma once

#include <cstdint>
#include <vector>

#include "image/colour_space.h"

namespace tsukimi {

// The same bytes at every time.
const std::vector<std::uint8_t>& icc_profile(ColourSpace space);

}  // namespace tsukimi
