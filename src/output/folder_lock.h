// SPDX-License-Identifier: GPL-3.0-or-later
// One export into a folder at a time; or several that make a part of the same one each.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/file_lock.h"

namespace tsukimi {

// Holds a folder by a hidden file in it, which says who holds it and goes with the holder, also
// when that is killed. Where a file system knows no locks, nothing is held.
class FolderLock {
 public:
  // `who`: "the frames of /shoots/harbour". part: 0, or the part that is made here: parts share the
  // folder with each other and with nobody else. Fails, naming the other, when it is held.
  static Result<FolderLock> take(const std::filesystem::path& folder, const std::string& who,
                                 int part = 0);
  FolderLock(FolderLock&& other) noexcept = default;
  FolderLock& operator=(FolderLock&&) = delete;
  ~FolderLock();

 private:
  FolderLock() = default;
  Result<void> take_file(const std::filesystem::path& file, Share share, const std::string& who);
  std::vector<FileLock> held_;
};

}  // namespace tsukimi
