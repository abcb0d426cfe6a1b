// SPDX-License-Identifier: GPL-3.0-or-later
// libtiff writing into memory, so that a file reaches the disk whole and through one door.
#pragma once

#include <tiffio.h>

#include <bit>
#include <cstdint>
#include <memory>
#include <vector>

namespace tsukimi {

class MemoryTiff {
 public:
  explicit MemoryTiff(std::endian order = std::endian::little);
  TIFF* get() { return tiff_.get(); }
  // Flushes, closes and hands the bytes over.
  std::vector<std::uint8_t> finish();

  struct Stream {
    std::vector<std::uint8_t> bytes;
    std::size_t position = 0;
  };

 private:
  std::unique_ptr<Stream> stream_;
  std::unique_ptr<TIFF, void (*)(TIFF*)> tiff_;
};

}  // namespace tsukimi
