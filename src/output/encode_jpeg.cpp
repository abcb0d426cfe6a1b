// SPDX-License-Identifier: GPL-3.0-or-later
#include <jpeglib.h>

#include <csetjmp>
#include <cstdio>
#include <cstdlib>

#include "output/encode.h"
#include "output/profile.h"

namespace tsukimi {
namespace {

struct JpegErrors {
  jpeg_error_mgr base;
  std::jmp_buf jump;
};

// The application marker of EXIF.
Result<Bytes> exif_marker(const PictureFacts* facts, Size size) {
  if (!facts) return Bytes();
  auto block = exif_block(*facts, size);
  if (!block) return block;
  const std::uint8_t head[] = {'E', 'x', 'i', 'f', 0, 0};
  block->insert(block->begin(), std::begin(head), std::end(head));
  if (block->size() > 65533) return fail("The metadata is too long for a JPEG file.");
  return block;
}

}  // namespace

Result<Bytes> encode_jpeg(const Encoded8& picture, int quality, Chroma chroma,
                          const PictureFacts* facts) {
  if (picture.width > 65500 || picture.height > 65500)
    return fail("A JPEG file cannot be larger than 65500 pixels a side.");
  const auto exif = exif_marker(facts, {picture.width, picture.height});
  if (!exif) return exif;
  jpeg_compress_struct c{};
  JpegErrors errors{};
  unsigned char* buffer = nullptr;
  unsigned long size = 0;
  c.err = jpeg_std_error(&errors.base);
  errors.base.error_exit = [](j_common_ptr p) {
    std::longjmp(reinterpret_cast<JpegErrors*>(p->err)->jump, 1);
  };
  if (setjmp(errors.jump)) {
    jpeg_destroy_compress(&c);
    std::free(buffer);
    return fail("A JPEG file could not be made.");
  }
  jpeg_create_compress(&c);
  jpeg_mem_dest(&c, &buffer, &size);
  c.image_width = static_cast<JDIMENSION>(picture.width);
  c.image_height = static_cast<JDIMENSION>(picture.height);
  c.input_components = 3;
  c.in_color_space = JCS_RGB;
  jpeg_set_defaults(&c);
  jpeg_set_quality(&c, quality, TRUE);
  for (int i = 0; i < 3; ++i) c.comp_info[i].h_samp_factor = c.comp_info[i].v_samp_factor = 1;
  if (chroma == Chroma::half) c.comp_info[0].h_samp_factor = c.comp_info[0].v_samp_factor = 2;
  jpeg_start_compress(&c, TRUE);
  if (!exif->empty())
    jpeg_write_marker(&c, JPEG_APP0 + 1, exif->data(), static_cast<unsigned>(exif->size()));
  const auto& icc = facts ? icc_profile(facts->space, facts->icc) : icc_profile(ColourSpace::srgb);
  jpeg_write_icc_profile(&c, icc.data(), static_cast<unsigned>(icc.size()));
  while (c.next_scanline < c.image_height) {
    auto* row = const_cast<JSAMPROW>(picture.row(static_cast<int>(c.next_scanline)));
    jpeg_write_scanlines(&c, &row, 1);
  }
  jpeg_finish_compress(&c);
  Bytes out(buffer, buffer + size);
  jpeg_destroy_compress(&c);
  std::free(buffer);
  return out;
}

}  // namespace tsukimi
