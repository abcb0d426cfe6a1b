// SPDX-License-Identifier: GPL-3.0-or-later
// A picture in which light departs from its course eight times as far as it does (Judging).
#pragma once

#include <QImage>

#include "framing/placement.h"

namespace tsukimi::app {

// image: sRGB. shows: what of the frame. departures: stops of every cell of CellLight. times: as
// far as what they are, which the picture shows already.
QImage exaggerated(const QImage& image, const Placement& shows, const float* departures,
                   double times);

}  // namespace tsukimi::app
