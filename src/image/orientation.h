// SPDX-License-Identifier: GPL-3.0-or-later
// EXIF orientation 1..8: how a picture lies in its file.
#pragma once

#include "image/image.h"
#include "image/points.h"

namespace tsukimi {

// Turns an image so that orientation 1 holds.
Image oriented(Image image, int orientation);

inline bool lies_on_its_side(int orientation) { return orientation >= 5 && orientation <= 8; }

// In fractions of width and height.
Point point_in_file(Point upright, int orientation);
Point upright_point(Point in_file, int orientation);

}  // namespace tsukimi
