// How far a picture lies from another, to a few thousandths of a pixel: a first guess
// (registration.h) refined where pictures are smoothed so much that they can be displaced exactly.
#pragma once

#include "motion/registration.h"

namespace tsukimi {

// A picture as it is compared: stops of light, smoothed; its slopes in stops per pixel; and where
// it is known: 1; 0 where it is too dark or clipped within reach of the smoothing.
struct SlopedFrame {
  Plane stops, slope_x, slope_y, known;
};
constexpr double kShiftSmoothing = 1.2;  // sigma, pixels

// stops: log2 of light, what lies round every pixel taken off. known: 0 or 1.
SlopedFrame slope_frame(const Plane& stops, const Plane& known);

// From a shift that is right to about a pixel. Parts of the picture vote with their own structure
// over what they leave unexplained, those that disagree with the most count little (iteratively
// reweighted least squares): clouds, water and ships do not take the tripod with them.
Shift refine_shift(const SlopedFrame& a, const SlopedFrame& b, Shift about);

// out(x) = in(x + shift), by Lagrange's polynomial through six pixels; borders are repeated.
Plane displaced(const Plane& in, const Shift& shift);

}  // namespace tsukimi
