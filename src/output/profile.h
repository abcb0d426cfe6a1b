// SPDX-License-Identifier: GPL-3.0-or-later
// ICC profiles of the colour spaces, made by lcms2.
#pragma once

#include <cstdint>
#include <vector>

#include "image/colour_space.h"

namespace tsukimi {

// version: 4, or 2 for viewers that do not read version 4. The same bytes at every time.
const std::vector<std::uint8_t>& icc_profile(ColourSpace space, int version = 4);

}  // namespace tsukimi
