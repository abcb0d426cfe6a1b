// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/format_encoder.h"

#include <cmath>

#include "develop/display.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

EncodedPicture in8(const Image& picture, const PictureFacts& facts) {
  return encode8(picture, facts.space);
}
EncodedPicture in16(const Image& picture, const PictureFacts& facts) {
  return encode16(picture, facts.space);
}
EncodedPicture in_half(const Image& picture, const PictureFacts& facts) {
  return to_half(picture, facts.space);
}
EncodedPicture in_linear16(const Image& picture, const PictureFacts& facts) {
  return to_linear16(picture, facts);
}

Result<StagedFile> stage(const fs::path& file, const Result<Bytes>& bytes) {
  if (!bytes) return tl::unexpected(bytes.error());
  return StagedFile::write(file, [&](int fd) { return write_all(fd, *bytes); });
}

Result<StagedFile> jpeg(const fs::path& file, const EncodedPicture& picture,
                        const ExportSettings& how, const PictureFacts& facts) {
  return stage(file, encode_jpeg(std::get<Encoded8>(picture), how.quality, how.chroma, &facts));
}

template <typename T>
Result<StagedFile> tiff(const fs::path& file, const EncodedPicture& picture,
                        const ExportSettings& how, const PictureFacts& facts) {
  return StagedFile::write(
      file, [&](int fd) { return write_tiff(fd, std::get<T>(picture), how.compression, facts); });
}

template <typename T>
Result<StagedFile> png(const fs::path& file, const EncodedPicture& picture, const ExportSettings&,
                       const PictureFacts& facts) {
  return stage(file, encode_png(std::get<T>(picture), facts));
}

Result<StagedFile> exr(const fs::path& file, const EncodedPicture& picture, const ExportSettings&,
                       const PictureFacts& facts) {
  return stage(file, encode_exr(std::get<Encoded16>(picture), facts));
}

Result<StagedFile> dng(const fs::path& file, const EncodedPicture& picture, const ExportSettings&,
                       const PictureFacts& facts) {
  return StagedFile::write(
      file, [&](int fd) { return write_dng(fd, std::get<Encoded16>(picture), facts); });
}

// About a third of a byte at quality 92 with the colours of all pixels; half as many 14 below.
double jpeg_bytes(const ExportSettings& how) {
  const double all = 0.34 * std::pow(2.0, (how.quality - 92) / 14.0);
  return how.chroma == Chroma::full ? all : 0.75 * all;
}

// Of the others as photographs with some grain come out; without compression it is exact.
double tiff8_bytes(const ExportSettings& how) {
  return how.compression == Compression::none ? 3 : 2;
}
double tiff16_bytes(const ExportSettings& how) {
  return how.compression == Compression::none ? 6 : 5;
}
double png8_bytes(const ExportSettings&) { return 1.8; }
double png16_bytes(const ExportSettings&) { return 4.8; }
double exr_bytes(const ExportSettings&) { return 3.6; }
double dng_bytes(const ExportSettings&) { return 6; }

constexpr Table<FileFormat, FormatEncoder> kEncoders{{
    {FileFormat::jpeg, in8, jpeg, jpeg_bytes},
    {FileFormat::tiff8, in8, tiff<Encoded8>, tiff8_bytes},
    {FileFormat::tiff16, in16, tiff<Encoded16>, tiff16_bytes},
    {FileFormat::png8, in8, png<Encoded8>, png8_bytes},
    {FileFormat::png16, in16, png<Encoded16>, png16_bytes},
    {FileFormat::exr, in_half, exr, exr_bytes},
    {FileFormat::dng, in_linear16, dng, dng_bytes},
}};

}  // namespace

const FormatEncoder& encoder_of(FileFormat format) { return kEncoders[format]; }

}  // namespace tsukimi
