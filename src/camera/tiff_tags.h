// SPDX-License-Identifier: GPL-3.0-or-later
// The directories of a file in TIFF's form, which most raw files have: for what the raw decoder
// leaves out. Only looks at what it is asked for; damaged files give what makes sense in them.
//
// TIFF 6.0 (1992); DNG 1.4 for the meaning of the tags.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <vector>

namespace tsukimi {

enum TiffTag {
  kSubfileType = 254,
  kWidth = 256,
  kHeight = 257,
  kCompression = 259,
  kPhotometric = 262,
  kStripPlaces = 273,
  kSamples = 277,
  kStripHeight = 278,
  kStripBytes = 279,
  kPlanes = 284,
  kTileWidth = 322,
  kTileHeight = 323,
  kTilePlaces = 324,
  kTileBytes = 325,
  kSubDirectories = 330,
  kActiveArea = 50829,  // top, left, bottom, right
};
// Values of kPhotometric in DNG.
constexpr int kColourFilters = 32803, kLinearRaw = 34892;

class TiffTags {
 public:
  struct Entry {
    int type = 0;  // 1 byte .. 12 double, as TIFF numbers them
    std::uint32_t count = 0;
    std::uint64_t place = 0;  // of the first value in the file
  };
  using Directory = std::map<int, Entry>;  // by tag

  // Nothing when the file has another form or cannot be read.
  static std::optional<TiffTags> read(const std::filesystem::path& path);

  // The main ones and those below them (SubIFDs).
  const std::vector<Directory>& directories() const { return directories_; }
  std::uint64_t file_size() const { return size_; }
  // The numbers of a tag, at most `most`; empty when it is not there or not in the file.
  std::vector<double> numbers(const Directory& directory, int tag,
                              std::uint32_t most = 1u << 20) const;
  // Any bytes of the file, from any thread. False when they are not all there.
  bool read_bytes(std::uint64_t place, void* to, std::size_t count) const;

 private:
  std::uint32_t whole(const unsigned char* bytes, int count) const;
  void read_directories(std::uint64_t place, int depth);

  std::shared_ptr<const int> file_;
  std::uint64_t size_ = 0;
  bool big_ = false;
  std::vector<Directory> directories_;
};

// That of the raw picture of a DNG, whole and not a small copy of it; nullptr when there is none.
const TiffTags::Directory* raw_directory(const TiffTags& tags);

// Whether the strips or tiles of the raw picture in a DNG are enough for its size, lie within the
// file, and none over another. True when the file does not say.
bool raw_data_makes_sense(const TiffTags& tags);

}  // namespace tsukimi
