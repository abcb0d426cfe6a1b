// SPDX-License-Identifier: GPL-3.0-or-later
// Mosaics made from light, for tests and benchmarks.
#pragma once

#include <array>

#include "camera/mosaic.h"

namespace tsukimi::sim {

// From light -0.03..1.06, in steps of 1/60000; beyond that it is held. Width and height even.
tsukimi::Mosaic mosaic_of(const Plane& light, const std::array<std::uint8_t, 4>& cfa);

}  // namespace tsukimi::sim
