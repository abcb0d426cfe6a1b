// One export into a folder at a time.
#pragma once

#include <filesystem>
#include <string>

#include "base/result.h"

namespace tsukimi {

// Holds a folder by a hidden file in it, which says who holds it and goes with the holder, also
// when that is killed. Where a file system knows no locks, nothing is held.
class FolderLock {
 public:
  // `who`: "the frames of /shoots/harbour". Fails, naming the other, when it is held.
  static Result<FolderLock> take(const std::filesystem::path& folder, const std::string& who);
  FolderLock(FolderLock&& other) noexcept;
  FolderLock& operator=(FolderLock&&) = delete;
  ~FolderLock();

 private:
  FolderLock(std::filesystem::path file, int fd) : file_(std::move(file)), fd_(fd) {}
  std::filesystem::path file_;
  int fd_;
};

}  // namespace tsukimi
