#include "image/file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>

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

// Renames without replacing; falls back to a hard link where the file system lacks the flag.
int rename_new(const char* from, const char* to) {
  if (renameat2(AT_FDCWD, from, AT_FDCWD, to, RENAME_NOREPLACE) == 0) return 0;
  if (errno != EINVAL && errno != ENOSYS) return -1;
  if (link(from, to) != 0) return -1;
  unlink(from);
  return 0;
}

}  // namespace

Result<std::vector<std::uint8_t>> read_file(const fs::path& path) {
  std::FILE* f = std::fopen(path.c_str(), "rb");
  if (!f) return fail(path.string() + " cannot be opened: " + std::strerror(errno) + ".");
  std::vector<std::uint8_t> bytes;
  struct stat st {};
  if (fstat(fileno(f), &st) == 0 && S_ISREG(st.st_mode))
    bytes.resize(static_cast<std::size_t>(st.st_size));
  const std::size_t n = std::fread(bytes.data(), 1, bytes.size(), f);
  const bool bad = std::ferror(f) || n != bytes.size();
  std::fclose(f);
  if (bad) return fail(path.string() + " cannot be read whole.");
  return bytes;
}

Result<void> write_file(const fs::path& path, const std::function<int(int fd)>& writer,
                        IfExists if_exists, bool sync) {
  static std::atomic<unsigned> serial{0};
  const fs::path temp =
      path.parent_path() / ("." + path.filename().string() + "." + std::to_string(getpid()) + "-" +
                            std::to_string(serial++) + ".part");
  auto failed = [&](int code) {
    unlink(temp.c_str());
    if (code == EEXIST) return fail(path.string() + " is there already; it was not touched.");
    return fail(path.string() + " could not be written: " + reason(code) + ".");
  };
  std::error_code ec;
  if (if_exists == IfExists::keep && fs::exists(path, ec)) return failed(EEXIST);
  const int fd = open(temp.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
  if (fd < 0) return failed(errno);
  int code = writer(fd);
  if (code == 0 && sync && fsync(fd) != 0) code = errno;
  if (close(fd) != 0 && code == 0) code = errno;
  if (code != 0) return failed(code);
  const int renamed = if_exists == IfExists::replace ? rename(temp.c_str(), path.c_str())
                                                     : rename_new(temp.c_str(), path.c_str());
  if (renamed != 0) return failed(errno);
  return {};
}

Result<void> write_file(const fs::path& path, std::span<const std::uint8_t> bytes,
                        IfExists if_exists, bool sync) {
  return write_file(
      path,
      [&](int fd) {
        std::size_t done = 0;
        while (done < bytes.size()) {
          const ssize_t n = write(fd, bytes.data() + done, bytes.size() - done);
          if (n < 0 && errno == EINTR) continue;
          if (n <= 0) return n < 0 ? errno : ENOSPC;
          done += static_cast<std::size_t>(n);
        }
        return 0;
      },
      if_exists, sync);
}

Result<void> sync_file(const fs::path& path) {
  const int fd = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  const bool done = fd >= 0 && fsync(fd) == 0;
  const int code = errno;
  if (fd >= 0) close(fd);
  if (!done) return fail(path.string() + " could not be written: " + reason(code) + ".");
  return {};
}

Result<void> write_file(const fs::path& path, std::string_view text, IfExists if_exists) {
  return write_file(
      path, std::span(reinterpret_cast<const std::uint8_t*>(text.data()), text.size()), if_exists);
}

fs::path cache_folder() {
  if (const char* xdg = std::getenv("XDG_CACHE_HOME"); xdg && *xdg == '/')
    return fs::path(xdg) / "tsukimi";
  const char* home = std::getenv("HOME");
  return fs::path(home && *home ? home : "/tmp") / ".cache" / "tsukimi";
}

std::string cache_name(const std::string& id) {
  std::uint64_t h = 14695981039346656037ull;
  for (unsigned char c : id) h = (h ^ c) * 1099511628211ull;
  char name[24];
  std::snprintf(name, sizeof name, "%016llx", static_cast<unsigned long long>(h));
  return name;
}

}  // namespace tsukimi
