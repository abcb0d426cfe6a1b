// SPDX-License-Identifier: GPL-3.0-or-later
// Pixels that glow in every frame of a sequence.
//
// One frame cannot tell a hot pixel from a star or a lamp; many can: a hot pixel stands out from
// its neighbours of the same colour in nearly all of them, at the same place of the sensor.
#pragma once

#include <filesystem>
#include <vector>

#include "base/parallel.h"
#include "camera/frame_info.h"
#include "camera/mosaic.h"

namespace tsukimi {

struct HotPixel {
  int x = 0, y = 0;    // of the mosaic, not oriented
  float strength = 0;  // mean sensor light above its neighbours, 0..1
  bool operator==(const HotPixel&) const = default;
};
using HotPixels = std::vector<HotPixel>;  // by row, then by column

// Looks at up to `most` frames spread over the sequence. Frames that cannot be read or are no
// mosaic are passed over; empty when there are fewer than three.
HotPixels find_hot_pixels(const std::filesystem::path& folder, const std::vector<FrameInfo>& frames,
                          const Work& work = {}, int most = 10);

// What counts as hot at an amount of 0..100: at 100 what glows by half a per cent of clipping, at
// 50 by 4 %; nothing at 0.
float hot_limit(double amount);

// What a hot pixel is replaced by: the median of its four neighbours of the same colour.
float mended(const Mosaic& mosaic, int x, int y);

}  // namespace tsukimi
