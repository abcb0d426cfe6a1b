// SPDX-License-Identifier: GPL-3.0-or-later
// Loaded before the C library (LD_PRELOAD): makes the disk fail on purpose, as the environment
// says.
//   FAIL_FSYNC_AFTER=n   waits for the disk succeed n times, then EIO
//   FAIL_WRITE_AFTER=n   so many bytes fit, then ENOSPC (of all files but terminals and pipes)
//   FAIL_PWRITE_AFTER=n  so many pwrite() succeed, then EIO
//   SIMPLE_DISK=1        a file system that knows no links, no birth times, no renaming with flags
//   and
//                        no waiting for folders
//   FREE_BYTES=n         the disk says that so much is free
//   KILL_AT_FSYNC=n      the process is killed when it waits for the disk for the n-th time
#include <dlfcn.h>
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/types.h>
#include <unistd.h>

#include <atomic>

namespace {

long setting(const char* name) {
  const char* text = getenv(name);
  return text ? atol(text) : -1;
}

template <typename F>
F next(const char* name) {
  return reinterpret_cast<F>(dlsym(RTLD_NEXT, name));
}

bool is_regular(int fd) {
  struct stat st {};
  return fstat(fd, &st) == 0 && S_ISREG(st.st_mode);
}

}  // namespace

extern "C" int fsync(int fd) {
  static std::atomic<long> count{0};
  static const long fail_after = setting("FAIL_FSYNC_AFTER"), kill_at = setting("KILL_AT_FSYNC");
  const long n = ++count;
  if (kill_at > 0 && n >= kill_at) raise(SIGKILL);
  if (setting("SIMPLE_DISK") > 0 && !is_regular(fd)) {
    errno = ENOTSUP;  // of a folder
    return -1;
  }
  if (fail_after >= 0 && n > fail_after) {
    errno = EIO;
    return -1;
  }
  return next<int (*)(int)>("fsync")(fd);
}

extern "C" int renameat2(int from_dir, const char* from, int to_dir, const char* to,
                         unsigned flags) {
  if (flags != 0 && setting("SIMPLE_DISK") > 0) {
    errno = EINVAL;
    return -1;
  }
  return next<int (*)(int, const char*, int, const char*, unsigned)>("renameat2")(
      from_dir, from, to_dir, to, flags);
}

extern "C" int link(const char* from, const char* to) {
  if (setting("SIMPLE_DISK") > 0) {
    errno = EPERM;
    return -1;
  }
  return next<int (*)(const char*, const char*)>("link")(from, to);
}

extern "C" int statx(int dir, const char* path, int flags, unsigned mask, struct statx* out) {
  const int code = next<int (*)(int, const char*, int, unsigned, struct statx*)>("statx")(
      dir, path, flags, mask, out);
  if (code == 0 && setting("SIMPLE_DISK") > 0) {
    out->stx_mask &= ~static_cast<unsigned>(STATX_BTIME);
    out->stx_btime = {};
  }
  return code;
}

extern "C" ssize_t write(int fd, const void* data, size_t size) {
  static std::atomic<long> used{0};
  static const long room = setting("FAIL_WRITE_AFTER");
  if (room >= 0 && is_regular(fd)) {
    if (used + static_cast<long>(size) > room) {
      errno = ENOSPC;
      return -1;
    }
    used += static_cast<long>(size);
  }
  return next<ssize_t (*)(int, const void*, size_t)>("write")(fd, data, size);
}

static ssize_t failing_pwrite(const char* name, int fd, const void* data, size_t size, off_t at) {
  static std::atomic<long> count{0};
  static const long fail_after = setting("FAIL_PWRITE_AFTER");
  if (fail_after >= 0 && ++count > fail_after) {
    errno = EIO;
    return -1;
  }
  return next<ssize_t (*)(int, const void*, size_t, off_t)>(name)(fd, data, size, at);
}
extern "C" ssize_t pwrite(int fd, const void* data, size_t size, off_t at) {
  return failing_pwrite("pwrite", fd, data, size, at);
}
extern "C" ssize_t pwrite64(int fd, const void* data, size_t size, off_t at) {
  return failing_pwrite("pwrite64", fd, data, size, at);
}

extern "C" int statvfs(const char* path, struct statvfs* out) {
  const int code = next<int (*)(const char*, struct statvfs*)>("statvfs")(path, out);
  if (code == 0 && setting("FREE_BYTES") >= 0)
    out->f_bavail = static_cast<fsblkcnt_t>(setting("FREE_BYTES")) / out->f_frsize;
  return code;
}
