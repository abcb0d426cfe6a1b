// EXIF orientation 1..8: how a picture lies in its file.
#pragma once

#include "image/image.h"

namespace tsukimi {

// Turns an image so that orientation 1 holds.
Image oriented(Image image, int orientation);

inline bool lies_on_its_side(int orientation) { return orientation >= 5 && orientation <= 8; }

// A place in fractions of width and height.
struct Place {
  double x = 0, y = 0;
  bool operator==(const Place&) const = default;
};
Place place_in_file(Place upright, int orientation);
Place upright_place(Place in_file, int orientation);

}  // namespace tsukimi
