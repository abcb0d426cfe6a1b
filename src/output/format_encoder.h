// SPDX-License-Identifier: GPL-3.0-or-later
// What each format makes of a developed picture: one row a format, and it compiles only when every
// format has one.
#pragma once

#include <filesystem>
#include <variant>

#include "base/file.h"
#include "output/encode.h"

namespace tsukimi {

// A picture in the numbers of its file: 8 or 16 bit, or the bits of halves.
using EncodedPicture = std::variant<Encoded8, Encoded16>;

struct FormatEncoder {
  FileFormat id;
  EncodedPicture (*encode)(const Image& rec2020, const PictureFacts& facts);
  // Of what its own encode() made. Under no name yet.
  Result<StagedFile> (*write)(const std::filesystem::path& file, const EncodedPicture& picture,
                              const ExportSettings& how, const PictureFacts& facts);
  double (*pixel_bytes)(const ExportSettings& how);  // about as many bytes of the file a pixel
};
const FormatEncoder& encoder_of(FileFormat format);

}  // namespace tsukimi
