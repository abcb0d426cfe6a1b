// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a DNG's numbers are those that its writer saw (DNG 1.2: RawImageDigest): a damaged
// picture without compression says so in no other way. Later files have another digest, whose
// reckoning the standard does not say, and an identifier that is no digest.
#pragma once

#include "camera/tiff_tags.h"

namespace tsukimi {

// numbers: of all the stored picture, as they are in the file; stride: from row to row.
// True where the file has no such digest, or its numbers were changed by a table.
bool has_the_numbers_it_says(const TiffTags& tags, const std::uint16_t* numbers, int width,
                             int height, std::size_t stride);

}  // namespace tsukimi
