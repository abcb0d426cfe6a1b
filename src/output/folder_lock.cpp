#include "output/folder_lock.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <cstring>
#include <thread>

#include "base/file.h"
#include "base/text.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

bool still_named(int fd, const fs::path& file) {
  struct stat open_file {
  }, named{};
  return fstat(fd, &open_file) == 0 && stat(file.c_str(), &named) == 0 &&
         open_file.st_ino == named.st_ino && open_file.st_dev == named.st_dev;
}

std::string holder(const fs::path& file) {
  const auto text = read_file(file, 4096);
  return text && !text->empty() ? printable(std::string(text->begin(), text->end()))
                                : std::string("other frames");
}

}  // namespace

Result<FolderLock> FolderLock::take(const fs::path& folder, const std::string& who, int part) {
  FolderLock lock;
  if (auto ok = lock.take_file(folder / ".tsukimi-export.lock", part > 0, who); !ok)
    return tl::unexpected(ok.error());
  if (part == 0) return lock;
  const fs::path own = folder / (".tsukimi-export." + std::to_string(part) + ".lock");
  if (auto ok = lock.take_file(own, false, who); !ok) return tl::unexpected(ok.error());
  return lock;
}

Result<void> FolderLock::take_file(const fs::path& file, bool shared, const std::string& who) {
  const std::string folder = file.parent_path().string();
  // One that leaves holds it alone for a moment, to see whether it is the last.
  constexpr int kTries = 20;
  constexpr std::chrono::milliseconds kMoment{10};
  for (int tries = 0;;) {
    const int fd = open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644);
    if (fd < 0)
      return fail("Nothing can be written to " + folder + ": " + std::strerror(errno) + ".");
    if (flock(fd, (shared ? LOCK_SH : LOCK_EX) | LOCK_NB) != 0) {
      const int code = errno;
      const bool none_here = code == ENOLCK || code == EOPNOTSUPP || code == ENOSYS;
      if (!none_here) {
        close(fd);
        if (code == EWOULDBLOCK && ++tries < kTries) {
          std::this_thread::sleep_for(kMoment);
          continue;
        }
        if (code == EWOULDBLOCK)
          return fail("Another export is writing to " + folder + ": " + holder(file) +
                      ". Wait for it, or choose another folder.");
        return fail(folder + " cannot be held: " + std::strerror(code) + ".");
      }
    } else if (!still_named(fd, file)) {
      close(fd);
      continue;  // whoever held it has just removed it
    }
    held_.push_back({file, fd});
    const std::string text = who + " (process " + std::to_string(getpid()) + ")";
    if (ftruncate(fd, 0) == 0) (void)!write(fd, text.data(), text.size());
    return {};
  }
}

// The file goes with the last who holds it.
FolderLock::~FolderLock() {
  for (const Held& h : held_) {
    if (flock(h.fd, LOCK_EX | LOCK_NB) == 0 || errno != EWOULDBLOCK) unlink(h.file.c_str());
    close(h.fd);
  }
}

}  // namespace tsukimi
