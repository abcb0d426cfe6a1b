// SPDX-License-Identifier: GPL-3.0-or-later
// Contrast round middle grey.
#pragma once

namespace tsukimi {

// On v = sqrt(linear), so that steps are about even to the eye: v + a v (v - p) (1 - v), p the
// square root of middle grey (0.18). Black, middle grey and white stay; monotone for the whole
// range; above white the curve goes on straight. amount: -100..100; 0 does nothing.
double contrast_at(double v, double amount);

}  // namespace tsukimi
