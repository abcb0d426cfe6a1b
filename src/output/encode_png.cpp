// SPDX-License-Identifier: GPL-3.0-or-later
#include <png.h>

#include <bit>
#include <memory>

#include "output/encode.h"
#include "output/profile.h"

namespace tsukimi {
namespace {

void take(png_structp png, png_bytep bytes, png_size_t count) {
  auto& out = *static_cast<Bytes*>(png_get_io_ptr(png));
  out.insert(out.end(), bytes, bytes + count);
}

template <typename T>
Result<Bytes> encode(const Encoded<T>& picture, const PictureFacts& facts) {
  const auto exif = exif_block(facts, {picture.width, picture.height});
  if (!exif) return exif;
  Bytes out;
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info_of = png ? png_create_info_struct(png) : nullptr;
  if (!info_of || setjmp(png_jmpbuf(png))) {
    png_destroy_write_struct(&png, &info_of);
    return fail("A PNG file could not be made.");
  }
  png_set_write_fn(png, &out, take, nullptr);
  png_set_user_limits(png, 0x7FFFFFFF, 0x7FFFFFFF);
  png_set_IHDR(png, info_of, static_cast<png_uint_32>(picture.width),
               static_cast<png_uint_32>(picture.height), 8 * sizeof(T), PNG_COLOR_TYPE_RGB,
               PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  // Light compression: noise does not become smaller by trying harder.
  png_set_compression_level(png, 3);
  png_set_filter(png, PNG_FILTER_TYPE_BASE, PNG_FILTER_UP | PNG_FILTER_PAETH);
  const auto& icc = icc_profile(facts.space, facts.icc);
  png_set_iCCP(png, info_of, info(facts.space).label, PNG_COMPRESSION_TYPE_BASE, icc.data(),
               static_cast<png_uint_32>(icc.size()));
  png_set_eXIf_1(png, info_of, static_cast<png_uint_32>(exif->size()),
                 const_cast<png_bytep>(exif->data()));
  png_text software{};
  char key[] = "Software", value[] = "Tsukimi";
  software.compression = PNG_TEXT_COMPRESSION_NONE;
  software.key = key;
  software.text = value;
  png_set_text(png, info_of, &software, 1);
  png_write_info(png, info_of);
  if (sizeof(T) == 2 && std::endian::native == std::endian::little) png_set_swap(png);
  for (int y = 0; y < picture.height; ++y)
    png_write_row(png, reinterpret_cast<png_const_bytep>(picture.row(y)));
  png_write_end(png, nullptr);
  png_destroy_write_struct(&png, &info_of);
  return out;
}

}  // namespace

Result<Bytes> encode_png(const Encoded8& picture, const PictureFacts& facts) {
  return encode(picture, facts);
}
Result<Bytes> encode_png(const Encoded16& picture, const PictureFacts& facts) {
  return encode(picture, facts);
}

}  // namespace tsukimi
