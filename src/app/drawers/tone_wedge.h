// SPDX-License-Identifier: GPL-3.0-or-later
// A thin grey wedge from black to white as one adjustment leaves it, over a line that is brightest
// where it moves tones most.
#pragma once

#include <QImage>

#include "adjust/parameters.h"

namespace tsukimi::app {

// At its preset it moves nothing: then the line says, more quietly, what it would move.
QImage tone_wedge(Param p, double value, QSize pixels);

}  // namespace tsukimi::app
