// SPDX-License-Identifier: GPL-3.0-or-later
// The numbers of a DNG in strips or tiles of lossless JPEG, unpacked by all cores.
#pragma once

#include <optional>

#include "camera/lossless_jpeg.h"
#include "camera/tiff_tags.h"

namespace tsukimi {

struct PackedTiles {
  int width = 0, height = 0;            // of the sensor
  int tile_width = 0, tile_height = 0;  // strips are as wide as the sensor
  std::vector<std::uint64_t> places, bytes;
};

// Of a sensor of that size, one number a pixel; nothing for other layouts.
std::optional<PackedTiles> packed_tiles(const TiffTags& tags, int width, int height);

// curve: what each number stands for, 65536 of them. Where it is not `whole` only some numbers are
// filled in; damage anywhere counts more than what is not known.
Lossless unpack(const PackedTiles& tiles, const TiffTags& file, const std::uint16_t* curve,
                std::uint16_t* numbers);

}  // namespace tsukimi
