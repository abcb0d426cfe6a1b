// SPDX-License-Identifier: GPL-3.0-or-later
// White point and black point: which light becomes white and which black.
#pragma once

namespace tsukimi {

// On v = sqrt(linear): the stretch between the two points is spread over 0..1, straight. White
// point +100 makes white of what was 1.35 stops below it, -100 keeps room for as much above; black
// point -100 makes black of v = 0.12 and what lies below, +100 lifts black to it. Straight, so
// monotone and without a knee.
double points_at(double v, double white, double black);

}  // namespace tsukimi
