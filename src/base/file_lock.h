// SPDX-License-Identifier: GPL-3.0-or-later
// Locks of open files (Linux's open file description locks): they go with the last copy of the
// descriptor, also when its process is killed, and can be asked for without being taken.
//
// Where a file system knows no locks, taking one succeeds and holds nothing; whatever else goes
// wrong is an error.
#pragma once

#include <filesystem>

#include "base/result.h"

namespace tsukimi {

enum class Share { alone, with_others };  // of a lock: nobody else has one, or others share it

// Of a whole file that is open for writing (`with_others`: for reading). 0, EAGAIN where another
// holds it, or another errno. wait: until it is free.
int lock_file(int fd, Share share, bool wait = false);
// Whether another holds it, by an open file.
bool is_locked(int fd);

// A file that is there for nothing but to be held.
class FileLock {
 public:
  // Makes the file where it is not there. ErrorCode::exists: another holds it.
  static Result<FileLock> take(const std::filesystem::path& file, Share share, bool wait = false);
  static bool is_held(const std::filesystem::path& file);
  FileLock(FileLock&& other) noexcept;
  FileLock& operator=(FileLock&&) = delete;
  ~FileLock();

  const std::filesystem::path& file() const { return file_; }
  int fd() const { return fd_; }
  // It still has its name; else whoever held it before has just removed it.
  bool is_named() const;
  // Lets go of it. True: nobody else holds it and the name is still its own, so that it may be
  // removed; until this object goes nobody can take it. Of several who share it and leave at the
  // same time at least one is told so.
  bool leave_as_last();

 private:
  FileLock(std::filesystem::path file, int fd) : file_(std::move(file)), fd_(fd) {}
  std::filesystem::path file_;
  int fd_;
};

}  // namespace tsukimi
