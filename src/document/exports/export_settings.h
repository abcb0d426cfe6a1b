// SPDX-License-Identifier: GPL-3.0-or-later
// What an export makes: the kind of file, its colours, its size, its names.
#pragma once

#include <string>

#include "base/table.h"
#include "image/colour_space.h"
#include "image/image.h"

namespace tsukimi {

enum class FileFormat { jpeg, tiff8, tiff16, png8, png16, exr, dng };
struct FormatInfo {
  FileFormat id;
  const char* name;   // in files and on the command line
  const char* label;  // on screen
  const char* extension;
  int bits;  // 16 of EXR are a floating-point half
  // Which of the settings below decide its bytes.
  bool quality;  // and chroma
  bool compressions;
  bool icc;  // else its primaries tell the colours
};
using FileFormats = Table<FileFormat, FormatInfo>;
const FileFormats& file_formats();
const FormatInfo& info(FileFormat format);

enum class Chroma { full, half };
constexpr Words<Chroma> kChromas{{{Chroma::full, "444"}, {Chroma::half, "420"}}};
enum class Compression { none, lzw, deflate };  // none of them loses anything
constexpr Words<Compression> kCompressions{
    {{Compression::none, "none"}, {Compression::lzw, "lzw"}, {Compression::deflate, "deflate"}}};

// As many pixels as the crop has (nothing set), exactly that many, or that many along the longer
// edge.
struct PixelSize {
  Size exact = {};
  int long_edge = 0;
  bool operator==(const PixelSize&) const = default;
};
struct ExportSettings {
  std::string folder;                   // empty: not chosen yet
  std::string pattern = "frame_#####";  // output/name_pattern.h
  int first_number = 1;                 // of the film's first frame, 0..999999
  FileFormat format = FileFormat::jpeg;
  int quality = 92;  // 1..100
  Chroma chroma = Chroma::full;
  Compression compression = Compression::none;
  ColourSpace space = ColourSpace::srgb;
  PixelSize pixels = {};
  std::string copyright = {};
  int icc = 4;            // version of the profile: 4, or 2 for old viewers
  bool location = true;   // where the camera stood goes into the files, if it is known
  bool sidecars = false;  // an XMP file beside each frame, with the values of its look
  bool operator==(const ExportSettings&) const = default;
};

}  // namespace tsukimi
