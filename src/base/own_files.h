// SPDX-License-Identifier: GPL-3.0-or-later
// What is ours to delete: known by its name *and* by how it begins, in a folder that is no link.
// Whatever else lies there belongs to the user.
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace tsukimi {

// A kind of file that we write. `begins`: its first bytes, at most 64.
struct OwnKind {
  bool (*named)(std::string_view name);
  std::string_view begins;
};

struct OwnFile {
  std::string name;
  std::uintmax_t bytes = 0;
  std::int64_t used = 0;  // ns since 1970: when it was written or touched last
};

// Whether a regular file, no link, has such a name and begins so.
bool is_own_file(const std::filesystem::path& file, const OwnKind& kind);

// The regular files of a folder (never through a link, of files or of the folder) that are named
// so. What they begin with is looked at when they are removed.
std::vector<OwnFile> files_named(const std::filesystem::path& folder,
                                 const std::function<bool(std::string_view name)>& named);

// Removes a file of a folder if it is of one of these kinds. False: it stays, whatever it is.
bool remove_own_file(const std::filesystem::path& folder, const std::string& name,
                     const std::vector<OwnKind>& kinds);
// All of these kinds.
void remove_own_files(const std::filesystem::path& folder, const std::vector<OwnKind>& kinds);

// Names of checksums: so many digits of 0-9 and a-f.
bool is_hexadecimal(std::string_view text, std::size_t digits);

}  // namespace tsukimi
