// SPDX-License-Identifier: GPL-3.0-or-later
// Frames of the harbour that benchmarks work on.
#pragma once

#include <filesystem>

#include "adjust/parameters.h"

namespace tsukimi::bench {

// packed: without loss; brackets: three shots a frame, two stops apart
enum class Kind { raw, packed, jpeg, bits14, brackets };

// A few frames at a size, made once in the temporary folder.
const std::filesystem::path& shot(int width, int height, int frames, Kind kind = Kind::raw);
std::filesystem::path first_file(const std::filesystem::path& folder);

Look graded();  // every adjustment away from its default

void add_operations();

}  // namespace tsukimi::bench
