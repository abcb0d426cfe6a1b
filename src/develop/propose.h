// SPDX-License-Identifier: GPL-3.0-or-later
// A start for a look, from the picture, on demand: plain values that the photographer sees and
// changes. Never used while frames are developed.
#pragma once

#include "develop/develop.h"

namespace tsukimi {

// Sets exposure, highlights, shadows, white and black point, contrast and muted colours of `look`
// so that the picture fills the range: the middle of its light comes near middle grey (two thirds
// of the way: an evening stays an evening), 0.3 % of it becomes white and 0.5 % black, and where
// much light lies close to an end that end gets more of the range. White balance and everything
// else stay.
Look propose_look(const Proxy& proxy, const Look& look, double correction);

}  // namespace tsukimi
