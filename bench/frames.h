// Frames of the harbour that benchmarks work on.
#pragma once

#include <filesystem>

namespace tsukimi::bench {

enum class Kind { raw, packed, jpeg };  // packed: without loss

// A few frames at a size, made once in the temporary folder.
const std::filesystem::path& shot(int width, int height, int frames, Kind kind = Kind::raw);
std::filesystem::path first_file(const std::filesystem::path& folder);

void add_operations();

}  // namespace tsukimi::bench
