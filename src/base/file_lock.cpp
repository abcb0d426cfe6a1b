// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file_lock.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

struct flock whole_file(short type) {
  struct flock out {};
  out.l_type = type;
  out.l_whence = SEEK_SET;
  return out;
}

bool means_no_locks(int code) {
  return code == ENOLCK || code == EOPNOTSUPP || code == ENOSYS || code == EINVAL;
}

}  // namespace

int lock_file(int fd, Share share, bool wait) {
  struct flock all = whole_file(share == Share::alone ? F_WRLCK : F_RDLCK);
  int code = 0;
  do {
    code = ::fcntl(fd, wait ? F_OFD_SETLKW : F_OFD_SETLK, &all) == 0 ? 0 : errno;
  } while (code == EINTR);
  if (code == EACCES) return EAGAIN;  // as some systems say it
  return means_no_locks(code) ? 0 : code;
}

bool is_locked(int fd) {
  struct flock all = whole_file(F_WRLCK);
  return ::fcntl(fd, F_OFD_GETLK, &all) == 0 && all.l_type != F_UNLCK;
}

Result<FileLock> FileLock::take(const fs::path& file, Share share, bool wait) {
  const int fd = ::open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644);
  if (fd < 0)
    return fail("Nothing can be written to " + file.parent_path().string() + ": " +
                std::strerror(errno) + ".");
  FileLock lock(file, fd);
  if (const int code = lock_file(fd, share, wait); code == EAGAIN)
    return fail(file.string() + " is held by another.", ErrorCode::exists);
  else if (code != 0)
    return fail(file.string() + " cannot be held: " + std::strerror(code) + ".");
  return lock;
}

bool FileLock::is_held(const fs::path& file) {
  const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
  if (fd < 0) return false;
  const bool held = is_locked(fd);
  ::close(fd);
  return held;
}

FileLock::FileLock(FileLock&& o) noexcept
    : file_(std::move(o.file_)), fd_(std::exchange(o.fd_, -1)) {}

FileLock::~FileLock() {
  if (fd_ >= 0) ::close(fd_);
}

bool FileLock::leave_as_last() {
  // Two who asked while they still share it would each find the other, and both leave it behind.
  struct flock all = whole_file(F_UNLCK);
  (void)::fcntl(fd_, F_OFD_SETLK, &all);
  return lock_file(fd_, Share::alone) == 0 && is_named();
}

bool FileLock::is_named() const {
  struct stat open_file {
  }, named{};
  return ::fstat(fd_, &open_file) == 0 && ::stat(file_.c_str(), &named) == 0 &&
         open_file.st_ino == named.st_ino && open_file.st_dev == named.st_dev;
}

}  // namespace tsukimi
