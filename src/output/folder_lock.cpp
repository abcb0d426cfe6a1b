#include "output/folder_lock.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <utility>

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

Result<FolderLock> FolderLock::take(const fs::path& folder, const std::string& who) {
  const fs::path file = folder / ".tsukimi-export.lock";
  for (;;) {
    const int fd = open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644);
    if (fd < 0)
      return fail("Nothing can be written to " + folder.string() + ": " + std::strerror(errno) +
                  ".");
    FolderLock lock(file, fd);
    if (flock(fd, LOCK_EX | LOCK_NB) != 0) {
      const int code = errno;
      lock.file_.clear();  // it is the other's
      if (code == EWOULDBLOCK)
        return fail("Another export is writing to " + folder.string() + ": " + holder(file) +
                    ". Wait for it, or choose another folder.");
      if (code != ENOLCK && code != EOPNOTSUPP && code != ENOSYS)
        return fail(folder.string() + " cannot be held: " + std::strerror(code) + ".");
    } else if (!still_named(fd, file)) {
      lock.file_.clear();
      continue;  // whoever held it has just removed it
    }
    const std::string text = who + " (process " + std::to_string(getpid()) + ")";
    if (ftruncate(fd, 0) == 0) (void)!write(fd, text.data(), text.size());
    return lock;
  }
}

FolderLock::FolderLock(FolderLock&& o) noexcept
    : file_(std::exchange(o.file_, fs::path())), fd_(std::exchange(o.fd_, -1)) {}

FolderLock::~FolderLock() {
  if (!file_.empty()) unlink(file_.c_str());
  if (fd_ >= 0) close(fd_);
}

}  // namespace tsukimi
