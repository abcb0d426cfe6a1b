// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/file.h"

#include <fcntl.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <charconv>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <utility>

#include "base/file_lock.h"
#include "base/own_files.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

std::string reason(int code) {
  switch (code) {
    case ENOSPC:
      return "the disk is full";
    case EFBIG:
      return "the file would be larger than this disk or user may write";
    case EDQUOT:
      return "the disk quota is used up";
    case EACCES:
    case EPERM:
    case EROFS:
      return "there is no permission to write there";
    case ENOENT:
      return "the folder does not exist";
    default:
      return std::strerror(code);
  }
}

// Renames without replacing. Where the file system lacks the flag, by a hard link; where it lacks
// these too (memory cards, some network drives), the name is taken by an empty file first.
int rename_new(const char* from, const char* to) {
  if (renameat2(AT_FDCWD, from, AT_FDCWD, to, RENAME_NOREPLACE) == 0) return 0;
  if (errno != EINVAL && errno != ENOSYS) return -1;
  if (link(from, to) == 0) return unlink(from), 0;
  if (errno == EEXIST) return -1;
  const int fd = open(to, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
  if (fd < 0) return -1;
  close(fd);
  if (rename(from, to) == 0) return 0;
  const int code = errno;
  unlink(to);
  errno = code;
  return -1;
}

// Opened for reading without waiting, and a regular file; else -1 and why not.
int open_regular(const fs::path& path, struct stat& st, Error& why) {
  const int fd = open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC);
  if (fd < 0 || fstat(fd, &st) != 0) {
    why = {path.string() + " cannot be opened: " + std::strerror(errno) + ".",
           ErrorCode::unavailable};
  } else if (!S_ISREG(st.st_mode)) {
    why = {path.string() + " is not a file that can be read.", ErrorCode::other};
  } else {
    return fd;
  }
  if (fd >= 0) close(fd);
  return -1;
}

constexpr const char* kTemporary = ".tsukimi-";

}  // namespace

Result<void> check_readable(const fs::path& path) {
  struct stat st {};
  Error why;
  const int fd = open_regular(path, st, why);
  if (fd < 0) return tl::unexpected(why);
  close(fd);
  return {};
}

Result<std::vector<std::uint8_t>> read_file(const fs::path& path, std::uintmax_t most) {
  struct stat st {};
  Error why;
  const int fd = open_regular(path, st, why);
  if (fd < 0) return tl::unexpected(why);
  std::vector<std::uint8_t> bytes;
  if (static_cast<std::uintmax_t>(st.st_size) > most) {
    close(fd);
    return fail(path.string() + " is too large to be what it should be (" +
                std::to_string(st.st_size >> 20) + " MB).");
  }
  bytes.resize(static_cast<std::size_t>(st.st_size));
  std::size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t n = read(fd, bytes.data() + done, bytes.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) break;
    done += static_cast<std::size_t>(n);
  }
  close(fd);
  if (done != bytes.size()) return fail(path.string() + " cannot be read whole.");
  return bytes;
}

StagedFile::StagedFile(fs::path path, fs::path temporary, int fd)
    : path_(std::move(path)), temporary_(std::move(temporary)), fd_(fd) {}

StagedFile::StagedFile(StagedFile&& o) noexcept
    : path_(std::move(o.path_)),
      temporary_(std::exchange(o.temporary_, fs::path())),
      fd_(std::exchange(o.fd_, -1)),
      held_(std::exchange(o.held_, -1)) {}

StagedFile::~StagedFile() {
  if (fd_ >= 0) close(fd_);
  if (!temporary_.empty()) unlink(temporary_.c_str());
  if (held_ >= 0) close(held_);
}

tl::unexpected<Error> StagedFile::failed(int code) const {
  if (code == EEXIST)
    return fail(path_.string() + " is there already; it was not touched.", ErrorCode::exists);
  return fail(path_.string() + " could not be written: " + reason(code) + ".");
}

Result<StagedFile> StagedFile::write(const fs::path& path,
                                     const std::function<int(int fd)>& writer) {
  static std::atomic<unsigned> serial{0};
  // Short, whatever the name: a name may have 255 bytes itself.
  const fs::path temporary = path.parent_path() / (kTemporary + std::to_string(getpid()) + "-" +
                                                   std::to_string(serial++) + ".part");
  StagedFile file(path, temporary,
                  open(temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0644));
  if (file.fd_ < 0) {
    file.temporary_.clear();
    return file.failed(errno);
  }
  // Says to whoever tidies up, here or on another machine, that somebody still works on it.
  file.held_ = fcntl(file.fd_, F_DUPFD_CLOEXEC, 0);
  if (const int code = lock_file(file.fd_, Share::alone); code != 0) return file.failed(code);
  if (const int code = writer(file.fd_); code != 0) return file.failed(code);
  return file;
}

Result<void> StagedFile::sync() {
  int code = fsync(fd_) == 0 ? 0 : errno;
  if (close(std::exchange(fd_, -1)) != 0 && code == 0) code = errno;
  if (code != 0) return failed(code);
  return {};
}

Result<void> StagedFile::give_name(IfExists if_exists) {
  if (fd_ >= 0 && close(std::exchange(fd_, -1)) != 0) return failed(errno);
  const int renamed = if_exists == IfExists::replace
                          ? rename(temporary_.c_str(), path_.c_str())
                          : rename_new(temporary_.c_str(), path_.c_str());
  if (renamed != 0) return failed(errno);
  temporary_.clear();
  return {};
}

FileStamp StagedFile::stamp() const {
  return stamp_of(temporary_.empty() ? path_ : temporary_).value_or(FileStamp{});
}

std::optional<FileStamp> stamp_of(const fs::path& path) {
  struct statx st {};
  if (statx(AT_FDCWD, path.c_str(), 0, STATX_BASIC_STATS | STATX_BTIME, &st) != 0 ||
      !S_ISREG(st.stx_mode))
    return {};
  auto ns = [](const statx_timestamp& t) { return t.tv_sec * 1'000'000'000LL + t.tv_nsec; };
  return FileStamp{st.stx_size, st.stx_ino, ns(st.stx_mtime),
                   st.stx_mask & STATX_BTIME ? ns(st.stx_btime) : 0};
}

fs::path link_target(const fs::path& path) {
  constexpr int kMostLinks = 40;  // as the system's own limit
  fs::path at = path;
  std::error_code ec;
  for (int i = 0; i < kMostLinks && fs::is_symlink(at, ec); ++i) {
    const fs::path to = fs::read_symlink(at, ec);
    if (ec) break;
    at = at.parent_path() / to;
  }
  return at;
}

fs::path plain_path(const fs::path& path) {
  std::error_code ec;
  fs::path out;
  for (const fs::path& part : fs::absolute(path, ec)) {
    if (part == "..") {
      const bool link = fs::is_symlink(out, ec);
      const fs::path real = link ? fs::canonical(out, ec) : out;
      out = (ec ? out : real).parent_path();
      ec.clear();
    } else if (!part.empty() && part != ".") {
      out /= part;
    }
  }
  return out;
}

std::optional<FileId> file_id(const fs::path& path) {
  struct stat st {};
  if (stat(path.c_str(), &st) != 0) return {};
  return FileId{st.st_dev, st.st_ino};
}

Result<void> write_file(const fs::path& path, const std::function<int(int fd)>& writer,
                        IfExists if_exists, bool sync) {
  std::error_code ec;
  if (if_exists == IfExists::keep && fs::exists(path, ec))
    return fail(path.string() + " is there already; it was not touched.", ErrorCode::exists);
  auto file = StagedFile::write(path, writer);
  if (!file) return tl::unexpected(file.error());
  if (sync)
    if (auto ok = file->sync(); !ok) return ok;
  return file->give_name(if_exists);
}

int write_all(int fd, std::span<const std::uint8_t> bytes) {
  std::size_t done = 0;
  while (done < bytes.size()) {
    const ssize_t n = write(fd, bytes.data() + done, bytes.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return n < 0 ? errno : ENOSPC;
    done += static_cast<std::size_t>(n);
  }
  return 0;
}

Result<void> write_file(const fs::path& path, std::span<const std::uint8_t> bytes,
                        IfExists if_exists, bool sync) {
  return write_file(
      path, [&](int fd) { return write_all(fd, bytes); }, if_exists, sync);
}

Result<void> write_file(const fs::path& path, std::string_view text, IfExists if_exists) {
  return write_file(
      path, std::span(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()), if_exists);
}

Result<void> sync_folder(const fs::path& folder) {
  const int fd = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  const bool done = fd >= 0 && fsync(fd) == 0;
  const int code = errno;
  if (fd >= 0) close(fd);
  // Some file systems cannot do this for folders, and there is nothing else to do then.
  const bool unknown = code == EINVAL || code == ENOTSUP || code == ENOSYS;
  if (!done && !unknown)
    return fail(folder.string() + " could not be written: " + reason(code) + ".");
  return {};
}

// One that was killed stays in the list of processes until somebody asks how it ended.
static bool is_alive(long pid) {
  if (pid == getpid()) return true;
  if (kill(static_cast<pid_t>(pid), 0) != 0) return errno == EPERM;
  std::ifstream stat("/proc/" + std::to_string(pid) + "/stat");
  const std::string text((std::istreambuf_iterator<char>(stat)), {});
  // The state stands behind the name, which is in brackets and may hold any.
  const auto name = text.rfind(')');
  return name == std::string::npos || name + 2 >= text.size() || text[name + 2] != 'Z';
}

// ".tsukimi-PID-N.part", and who made it is no more.
static bool is_leftover(std::string_view name) {
  if (!name.starts_with(kTemporary) || !name.ends_with(".part")) return false;
  name.remove_prefix(std::strlen(kTemporary));
  long pid = 0;
  unsigned serial = 0;
  const char *begin = name.data(), *end = begin + name.size();
  const auto first = std::from_chars(begin, end, pid);
  if (first.ec != std::errc() || first.ptr == end || *first.ptr != '-') return false;
  const auto second = std::from_chars(first.ptr + 1, end, serial);
  return second.ec == std::errc() && std::string_view(second.ptr, end) == ".part" && pid > 0 &&
         !is_alive(pid);
}

void remove_leftovers(const fs::path& folder) {
  for (const OwnFile& file : files_named(folder, is_leftover))
    // Else somebody works on it, maybe on another machine.
    if (!FileLock::is_held(folder / file.name))
      remove_own_file(folder, file.name, {{is_leftover, ""}});
}

bool is_folder(const fs::path& path) {
  std::error_code ec;
  return fs::is_directory(path, ec);
}

}  // namespace tsukimi
