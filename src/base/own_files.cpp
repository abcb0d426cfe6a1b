// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/own_files.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kMostOfAHead = 64;

// A folder that is held open while it is worked on: nobody can put a link in its place.
class OpenFolder {
 public:
  explicit OpenFolder(const fs::path& folder)
      : fd_(open(folder.empty() ? "." : folder.c_str(),
                 O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC)) {}
  OpenFolder(const OpenFolder&) = delete;
  OpenFolder& operator=(const OpenFolder&) = delete;
  ~OpenFolder() {
    if (fd_ >= 0) close(fd_);
  }
  explicit operator bool() const { return fd_ >= 0; }
  int fd() const { return fd_; }

 private:
  int fd_;
};

bool is_of(int folder, const std::string& name, const OwnKind& kind) {
  if (!kind.named(name)) return false;
  const int fd = openat(folder, name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
  if (fd < 0) return false;
  struct stat st {};
  char head[kMostOfAHead];
  const bool regular = fstat(fd, &st) == 0 && S_ISREG(st.st_mode);
  const ssize_t n = regular ? pread(fd, head, std::min(sizeof head, kind.begins.size()), 0) : -1;
  close(fd);
  return n >= 0 && std::string_view(head, static_cast<std::size_t>(n)) == kind.begins;
}

}  // namespace

bool is_own_file(const fs::path& file, const OwnKind& kind) {
  const OpenFolder folder(file.parent_path());
  return folder && is_of(folder.fd(), file.filename().string(), kind);
}

std::vector<OwnFile> files_named(const fs::path& folder,
                                 const std::function<bool(std::string_view)>& named) {
  std::vector<OwnFile> out;
  const OpenFolder held(folder);
  DIR* dir = held ? fdopendir(dup(held.fd())) : nullptr;
  if (!dir) return out;
  while (const dirent* entry = readdir(dir)) {
    struct stat st {};
    if (!named(entry->d_name) || fstatat(held.fd(), entry->d_name, &st, AT_SYMLINK_NOFOLLOW) != 0 ||
        !S_ISREG(st.st_mode))
      continue;
    out.push_back({entry->d_name, static_cast<std::uintmax_t>(st.st_size),
                   st.st_mtim.tv_sec * 1'000'000'000LL + st.st_mtim.tv_nsec});
  }
  closedir(dir);
  return out;
}

bool remove_own_file(const fs::path& folder, const std::string& name,
                     const std::vector<OwnKind>& kinds) {
  const OpenFolder held(folder);
  return held &&
         std::ranges::any_of(kinds, [&](const auto& k) { return is_of(held.fd(), name, k); }) &&
         unlinkat(held.fd(), name.c_str(), 0) == 0;
}

void remove_own_files(const fs::path& folder, const std::vector<OwnKind>& kinds) {
  const auto named = [&](std::string_view name) {
    return std::ranges::any_of(kinds, [&](const OwnKind& k) { return k.named(name); });
  };
  for (const OwnFile& file : files_named(folder, named)) remove_own_file(folder, file.name, kinds);
}

bool is_hexadecimal(std::string_view text, std::size_t digits) {
  return text.size() == digits && text.find_first_not_of("0123456789abcdef") == text.npos;
}

}  // namespace tsukimi
