#include "image/image.h"

#include <sys/mman.h>

namespace tsukimi {
namespace {

constexpr std::size_t kHugePage = 2 << 20, kBig = 4 << 20;

std::align_val_t alignment(std::size_t bytes) {
  return std::align_val_t(bytes >= kBig ? kHugePage : 64);
}

}  // namespace

void* allocate_pixels(std::size_t bytes) {
  void* memory = ::operator new(bytes, alignment(bytes));
  // Only a hint: where it is refused, ordinary pages do.
  if (bytes >= kBig) madvise(memory, bytes & ~(kHugePage - 1), MADV_HUGEPAGE);
  return memory;
}

void free_pixels(void* memory, std::size_t bytes) { ::operator delete(memory, alignment(bytes)); }

}  // namespace tsukimi
