// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/folder_lock.h"

#include <unistd.h>

#include <chrono>
#include <thread>

#include "base/file.h"
#include "base/text.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

std::string holder(const fs::path& file) {
  const auto text = read_file(file, 4096);
  return text && !text->empty() ? printable(std::string(text->begin(), text->end()))
                                : std::string("other frames");
}

}  // namespace

Result<FolderLock> FolderLock::take(const fs::path& folder, const std::string& who, int part) {
  FolderLock lock;
  const Share share = part > 0 ? Share::with_others : Share::alone;
  if (auto ok = lock.take_file(folder / ".tsukimi-export.lock", share, who); !ok)
    return tl::unexpected(ok.error());
  if (part == 0) return lock;
  const fs::path own = folder / (".tsukimi-export." + std::to_string(part) + ".lock");
  if (auto ok = lock.take_file(own, Share::alone, who); !ok) return tl::unexpected(ok.error());
  return lock;
}

Result<void> FolderLock::take_file(const fs::path& file, Share share, const std::string& who) {
  // One that leaves holds it alone for a moment, to see whether it is the last.
  constexpr int kTries = 20;
  constexpr std::chrono::milliseconds kMoment{10};
  for (int tries = 0;;) {
    auto lock = FileLock::take(file, share);
    if (!lock) {
      if (lock.error().code != ErrorCode::exists) return tl::unexpected(lock.error());
      if (++tries == kTries)
        return fail("Another export is writing to " + file.parent_path().string() + ": " +
                    holder(file) + ". Wait for it, or choose another folder.");
      std::this_thread::sleep_for(kMoment);
      continue;
    }
    if (!lock->is_named()) continue;  // whoever held it has just removed it
    const std::string text = who + " (process " + std::to_string(getpid()) + ")";
    if (ftruncate(lock->fd(), 0) == 0) (void)!write(lock->fd(), text.data(), text.size());
    held_.push_back(std::move(*lock));
    return {};
  }
}

// The file goes with the last who holds it.
FolderLock::~FolderLock() {
  for (FileLock& lock : held_)
    if (lock.leave_as_last()) unlink(lock.file().c_str());
}

}  // namespace tsukimi
