// LibRaw as all readers here want it.
#pragma once

#include <libraw/libraw.h>

#include <filesystem>

#include "image/image.h"

namespace tsukimi {

class RawDecoder : public LibRaw {
 public:
  // The head of the file; LibRaw's code, LIBRAW_SUCCESS if all is well.
  int open(const std::filesystem::path& path);

  // From here on, of an open file.
  bool has_possible_size() const;
  bool is_bayer() const { return imgdata.idata.filters > 1000 && imgdata.idata.colors == 3; }
  Size seen_size() const;  // between borders and margins, in whole Bayer patterns; not turned

  // The numbers. False when any of them is missing or damaged.
  bool decode();

 private:
  void load_rows();
  bool damaged_ = false;
};

}  // namespace tsukimi
