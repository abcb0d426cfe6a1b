// White balance, camera colour to working space, and exposure: one multiplication per pixel.
#pragma once

#include "frames/camera_colour.h"
#include "image/image.h"

namespace tsukimi {

// Balances a Bayer mosaic in place, so that the demosaicing sees equal channels on grey. Values are
// held at the balance's clip level: a clipped sunset stays white instead of turning magenta.
void balance_mosaic(Plane& mosaic, const std::array<std::uint8_t, 4>& cfa, const WhiteBalance& wb);

// Balances camera RGB in place, with the same clip level.
void balance_rgb(Image& image, const WhiteBalance& wb);

// Balanced camera RGB to linear Rec. 2020 in place, times 2^stops (look, levelling and deflicker
// together).
void to_working_space(Image& image, const WhiteBalance& wb, double stops);

}  // namespace tsukimi
