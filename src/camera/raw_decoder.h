// SPDX-License-Identifier: GPL-3.0-or-later
// LibRaw as all readers here want it.
#pragma once

#include <libraw/libraw.h>

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

#include "camera/dng_area.h"
#include "camera/tiff_tags.h"
#include "image/image.h"

namespace tsukimi {

// A file that notes when more is asked of it than it has: most decoders go on with zeros then, or
// with what the memory held before, and say nothing.
class WatchedFile : public LibRaw_file_datastream {
 public:
  using LibRaw_file_datastream::LibRaw_file_datastream;
  int read(void* to, std::size_t size, std::size_t count) override;
  int get_char() override;
  int seek(INT64 offset, int whence) override;

  std::function<void()> before_seek;  // called once
  bool ended_early() const;
  void forget() { missing_ = 0, asked_beyond_ = 0; }

 private:
  std::size_t missing_ = 0;  // bytes that large reads did not get
  int asked_beyond_ = 0;     // single bytes and small reads wholly beyond the end
};

class RawDecoder : public LibRaw {
 public:
  ~RawDecoder() override;
  // The head of the file; LibRaw's code, LIBRAW_SUCCESS if all is well.
  int open(const std::filesystem::path& path);

  // From here on, of an open file.
  bool has_possible_size() const;
  bool is_bayer() const { return imgdata.idata.filters > 1000 && imgdata.idata.colors == 3; }
  // What is shown of the stored picture, between borders and margins; not turned.
  const StoredArea& seen();

  // The numbers. False when any of them is missing or damaged.
  bool decode();

  // The file's directories, if it has TIFF's form; read on the first call.
  const std::optional<TiffTags>& tags();
  // Whether the numbers of lossless JPEG came from packed_tiles.h, not from LibRaw.
  bool unpacked_here() const { return unpacked_here_; }
  bool is_dng() const { return imgdata.idata.dng_version != 0; }

 private:
  void choose_loader();
  void load_rows();
  void load_bits();
  void load_packed();
  std::filesystem::path path_;
  std::unique_ptr<WatchedFile> file_;
  std::optional<std::optional<TiffTags>> tags_;
  std::optional<StoredArea> seen_;
  bool damaged_ = false, unpacked_here_ = false;
  void (LibRaw::*own_load_)() = nullptr;  // LibRaw's, for what ours does not know
};

}  // namespace tsukimi
