// SPDX-License-Identifier: GPL-3.0-or-later
// Which part of the stored picture a DNG shows (DNG 1.4: ActiveArea, DefaultCropOrigin,
// DefaultCropSize), to the pixel: the raw decoder moves it to where the colour pattern begins.
#pragma once

#include <optional>

#include "camera/tiff_tags.h"

namespace tsukimi {

// In pixels of the stored picture, borders included.
struct StoredArea {
  int left = 0, top = 0, width = 0, height = 0;
  int pattern_left = 0, pattern_top = 0;  // where what repeats begins (ActiveArea)
};

// Nothing when the file does not say, or what does not lie in its picture.
std::optional<StoredArea> dng_area(const TiffTags& tags);

}  // namespace tsukimi
