// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs, in the sensor's own light, before anything else is done with it.
//
// Dust: light is divided by what its shadow leaves of it (repairs/repair.h), so that detail and
// noise below it stay. What clipped stays clipped.
// Spots and areas: covered by what lies elsewhere, times a smooth membrane that makes both meet at
// the border: mean-value coordinates (Farbman et al., "Coordinates for instant image cloning",
// SIGGRAPH 2009) of how many stops lighter it is along the border, each of the mean of a small part
// of it, so that noise draws no rays; where an edge crosses elsewhere it says nothing. In a mosaic
// the offset is even: red covers red.
#pragma once

#include "camera/sensor_frame.h"
#include "develop/cover.h"
#include "proxy/proxy.h"
#include "repairs/repair.h"

namespace tsukimi {

// A frame as it lies in its file. The numbers of a mosaic are copied before they are changed.
void mend(SensorFrame& frame, const std::vector<RepairAt>& repairs);
// Camera RGB of a whole proxy, upright.
void mend(Image& image, const Proxy& proxy, const std::vector<RepairAt>& repairs);

}  // namespace tsukimi
