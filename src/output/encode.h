// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures to files, each with the ICC profile of its colour space and what is known of the
// capture. The same picture gives the same bytes at every time.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/result.h"
#include "camera/frame_info.h"
#include "document/exports/export_settings.h"
#include "image/image.h"

namespace tsukimi {

using Bytes = std::vector<std::uint8_t>;

// What goes into a file beside the picture. The picture is upright: the orientation is 1, and the
// software is "Tsukimi".
struct PictureFacts {
  FrameInfo frame;  // of the capture; `location` only where it may be told
  std::string note, copyright;
  ColourSpace space = ColourSpace::srgb;
  int icc = 4;       // version of the profile: 4 or 2
  int headroom = 1;  // stops above white that DNG keeps: of merged shots theirs
};

// EXIF 2.32 as it stands in JPEG and PNG files: a TIFF structure without a picture.
Result<Bytes> exif_block(const PictureFacts& facts, Size size);

// Baseline JPEG, quality 1..100. Without facts: a bare sRGB picture, for previews.
Result<Bytes> encode_jpeg(const Encoded8& picture, int quality, Chroma chroma = Chroma::full,
                          const PictureFacts* facts = nullptr);

// RGB TIFF of 8 or 16 bit, straight to an open file (read and write): big pictures are not copied
// on their way. 0 or an errno.
int write_tiff(int fd, const Encoded8& picture, Compression compression, const PictureFacts& facts);
int write_tiff(int fd, const Encoded16& picture, Compression compression,
               const PictureFacts& facts);

Result<Bytes> encode_png(const Encoded8& picture, const PictureFacts& facts);
Result<Bytes> encode_png(const Encoded16& picture, const PictureFacts& facts);

// OpenEXR, half float, zip compression: linear light in the primaries of the space, 1 is white and
// what is brighter stays so. The picture holds the bits of halves, as to_half() makes them of
// linear Rec. 2020.
Encoded16 to_half(const Image& rec2020, ColourSpace space);
Result<Bytes> encode_exr(const Encoded16& halves, const PictureFacts& facts);

// DNG 1.4 with colours in all pixels (LinearRaw), 16 bit: linear light in the primaries of the
// space, balanced, so that equal numbers are grey; white lies `headroom` stops below the brightest
// number, which BaselineExposure says.
Encoded16 to_linear16(const Image& rec2020, const PictureFacts& facts);
int write_dng(int fd, const Encoded16& picture, const PictureFacts& facts);

// ISO 16684-1: standard properties, and in a namespace of ours (docs/formats.md) the values that
// the frame was developed with, by their names.
std::string xmp_packet(const PictureFacts& facts, Size size,
                       const std::vector<std::pair<std::string, double>>& values);

}  // namespace tsukimi
