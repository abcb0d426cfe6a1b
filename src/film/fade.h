// SPDX-License-Identifier: GPL-3.0-or-later
// Fading to black or white in stops of light, as an iris or a dimmer does: even steps to the eye.
#pragma once

#include "image/image.h"

namespace tsukimi {

// Linear light; amount: -1 all black, 0 as it is, 1 all white. On the way to black the light falls
// by kFadeStops, less what would be left of it at the end; to white as much is added, and the
// picture is lifted to 1.
constexpr double kFadeStops = 9;
void fade(Image& picture, double amount);

}  // namespace tsukimi
