// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/image.h"

#include <sys/mman.h>

#include <atomic>
#include <cstring>
#include <mutex>

namespace tsukimi {
namespace {

constexpr std::size_t kHugePage = 2 << 20, kBig = 4 << 20;

// Big blocks that were freed, the latest last: the next frame asks for the same sizes, and memory
// that is new to the process has to be cleared first.
class Spare {
 public:
  void* take(std::size_t bytes) {
    const std::lock_guard lock(mutex_);
    for (auto i = blocks_.size(); i-- > 0;)
      if (blocks_[i].bytes == bytes) {
        void* memory = blocks_[i].memory;
        blocks_.erase(blocks_.begin() + static_cast<std::ptrdiff_t>(i));
        held_ -= bytes;
        return memory;
      }
    return nullptr;
  }
  void keep(void* memory, std::size_t bytes) {
    const std::lock_guard lock(mutex_);
    blocks_.push_back({memory, bytes});
    held_ += bytes;
    shrink(kMost);
  }
  void drop() {
    const std::lock_guard lock(mutex_);
    shrink(0);
  }

 private:
  static constexpr std::size_t kMost =
#ifdef __SANITIZE_ADDRESS__
      0;  // so that the use of freed memory is found
#else
      400 << 20;
#endif
  struct Block {
    void* memory;
    std::size_t bytes;
  };
  void shrink(std::size_t most) {
    std::size_t n = 0;
    for (; n < blocks_.size() && held_ > most; ++n) {
      held_ -= blocks_[n].bytes;
      ::operator delete(blocks_[n].memory, std::align_val_t(kHugePage));
    }
    blocks_.erase(blocks_.begin(), blocks_.begin() + static_cast<std::ptrdiff_t>(n));
  }

  std::mutex mutex_;
  std::vector<Block> blocks_;
  std::size_t held_ = 0;
};

Spare& spare() {
  static auto* const all = new Spare;  // never ended: pictures may outlive statics
  return *all;
}

std::atomic<int> spoil_with{-1};  // a byte; -1: nothing

std::size_t whole_pages(std::size_t bytes) { return (bytes + kHugePage - 1) & ~(kHugePage - 1); }

}  // namespace

static void* any_pixels(std::size_t bytes) {
  if (bytes < kBig) return ::operator new(bytes, std::align_val_t(64));
  if (void* memory = spare().take(whole_pages(bytes))) return memory;
  void* memory = ::operator new(whole_pages(bytes), std::align_val_t(kHugePage));
  madvise(memory, whole_pages(bytes), MADV_HUGEPAGE);  // only a hint: ordinary pages do as well
  return memory;
}

void* allocate_pixels(std::size_t bytes) {
  void* memory = any_pixels(bytes);
  if (const int byte = spoil_with.load(std::memory_order_relaxed); byte >= 0)
    std::memset(memory, byte, bytes);
  return memory;
}

void spoil_new_pixels(unsigned char byte) { spoil_with = byte; }

void free_pixels(void* memory, std::size_t bytes) {
  if (bytes < kBig)
    ::operator delete(memory, std::align_val_t(64));
  else
    spare().keep(memory, whole_pages(bytes));
}

void drop_spare_pixels() { spare().drop(); }

}  // namespace tsukimi
