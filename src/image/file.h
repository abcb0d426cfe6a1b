// Whole files in and out. What we write appears under its name complete or not at all.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "image/result.h"

namespace tsukimi {

Result<std::vector<std::uint8_t>> read_file(const std::filesystem::path& path);

enum class IfExists { keep, replace };

// Writes to a temporary name in the same folder, syncs, renames. With IfExists::keep an existing
// file is an error and stays as it is. On any error nothing is left behind and the message says why
// (no permission, disk full, ...). `sync` may be false for what can be made again (caches).
Result<void> write_file(const std::filesystem::path& path, std::span<const std::uint8_t> bytes,
                        IfExists if_exists, bool sync = true);
Result<void> write_file(const std::filesystem::path& path, std::string_view text,
                        IfExists if_exists);
// `writer` gets the open temporary file and returns 0 or the errno of what went wrong.
Result<void> write_file(const std::filesystem::path& path, const std::function<int(int fd)>& writer,
                        IfExists if_exists, bool sync = true);
// Sees that a file written without `sync` is on the disk.
Result<void> sync_file(const std::filesystem::path& path);

// Where generated data may live: $XDG_CACHE_HOME/tsukimi or ~/.cache/tsukimi.
std::filesystem::path cache_folder();
// A file name for what `id` says: FNV-1a, 64 bit; a collision is ruled out by nothing but its
// rarity.
std::string cache_name(const std::string& id);

}  // namespace tsukimi
