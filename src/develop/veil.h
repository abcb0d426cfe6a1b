// SPDX-License-Identifier: GPL-3.0-or-later
// The mask of a place, laid over the picture in the colour of attention.
#pragma once

#include "develop/local_amounts.h"
#include "develop/rows.h"

namespace tsukimi {

// Linear Rec. 2020, in place; after everything else.
void apply_veil(const Rows& rows, int y, const LocalAmounts& amounts);

}  // namespace tsukimi
