// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/memory_tiff.h"

#include <algorithm>
#include <cstring>

namespace tsukimi {
namespace {

using Stream = MemoryTiff::Stream;
Stream& of(thandle_t handle) { return *static_cast<Stream*>(handle); }

tmsize_t read(thandle_t h, void* to, tmsize_t size) {
  auto& s = of(h);
  const std::size_t n =
      std::min<std::size_t>(size, s.bytes.size() - std::min(s.position, s.bytes.size()));
  std::memcpy(to, s.bytes.data() + s.position, n);
  s.position += n;
  return static_cast<tmsize_t>(n);
}

tmsize_t write(thandle_t h, void* from, tmsize_t size) {
  auto& s = of(h);
  const auto end = s.position + static_cast<std::size_t>(size);
  if (end > s.bytes.size()) s.bytes.resize(end);
  std::memcpy(s.bytes.data() + s.position, from, static_cast<std::size_t>(size));
  s.position = end;
  return size;
}

toff_t seek(thandle_t h, toff_t offset, int whence) {
  auto& s = of(h);
  s.position = whence == SEEK_SET   ? offset
               : whence == SEEK_CUR ? s.position + offset
                                    : s.bytes.size() + offset;
  return s.position;
}

int close(thandle_t) { return 0; }
toff_t size(thandle_t h) { return of(h).bytes.size(); }
int map(thandle_t, void**, toff_t*) { return 0; }
void unmap(thandle_t, void*, toff_t) {}

}  // namespace

MemoryTiff::MemoryTiff(std::endian order)
    : stream_(std::make_unique<Stream>()),
      tiff_(TIFFClientOpen("memory", order == std::endian::big ? "wb" : "wl", stream_.get(), read,
                           write, seek, close, size, map, unmap),
            TIFFClose) {}

std::vector<std::uint8_t> MemoryTiff::finish() {
  tiff_.reset();
  return std::move(stream_->bytes);
}

}  // namespace tsukimi
