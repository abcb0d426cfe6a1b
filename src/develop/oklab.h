// SPDX-License-Identifier: GPL-3.0-or-later
// Oklab (Ottosson 2020): lightness and two opponent axes in which hue, chroma and lightness can be
// changed without changing the other two.
#pragma once

#include "develop/rows.h"

namespace tsukimi {

// Linear Rec. 2020 to Oklab and back, in place: r, g, b hold L, a, b in between. Light below zero
// is carried through.
void to_oklab(const Rows& rows);
void from_oklab(const Rows& rows);

}  // namespace tsukimi
