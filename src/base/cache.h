// SPDX-License-Identifier: GPL-3.0-or-later
// What can be made again: files in a cache folder of our own, which a file of ours marks
// (CACHEDIR.TAG, so that backups pass it over). Each carries a checksum (XXH3); what a disk has
// changed since is no cache, and is made anew. Only files that are named and begin as ours do are
// ever removed, and none through a link.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "base/result.h"

namespace tsukimi {

// $XDG_CACHE_HOME/tsukimi, or .cache/tsukimi in the user's home. Empty when the user has no home:
// then nothing is kept, rather than where others may write.
// Or `tsukimi` in the folder that set_cache() was told.
std::filesystem::path cache_folder();
// The folder in which the cache lies from now on, in `tsukimi` (empty: as above), and how large it
// may become, in bytes (0: 10 GB). Threads that are at work finish where they began.
void set_cache(const std::filesystem::path& folder, std::uintmax_t limit);
// Whether something of that name is there that is not our cache: then nothing is kept.
Result<void> check_cache();
// The file of one thing in a folder of the cache; empty when there is no cache.
std::filesystem::path cache_path(const std::string& folder, const std::string& name);
// A file name for what `id` says (XXH3, 128 bit).
std::string cache_name(const std::string& id);

std::uint64_t checksum(std::span<const std::uint8_t> bytes);

// Writes a file with its checksum, making folders that nobody else may enter. An empty path fails.
Result<void> save_cached(const std::filesystem::path& path, std::span<const std::uint8_t> bytes);
// Without the checksum. Fails when the file is not there or not as it was written.
Result<std::vector<std::uint8_t>> load_cached(const std::filesystem::path& path);
// Makes and marks the cache and the folder of a file in it, for those who write it themselves;
// false without a cache. The folder of a file elsewhere has to be there.
bool make_cache_folder(const std::filesystem::path& file);

// Deletes what was not used for longest until the cache is below `limit` bytes; 0: below what
// set_cache() said, else 10 GB.
void trim_cache(std::uintmax_t limit = 0);
// Of the cache's files in a folder whose names begin so, the `most` used last stay.
void trim_cache_group(const std::filesystem::path& folder, const std::string& begin,
                      std::size_t most);

}  // namespace tsukimi
