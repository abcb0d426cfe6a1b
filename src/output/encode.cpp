#include "output/encode.h"

#include <jpeglib.h>
#include <lcms2.h>

#include <cmath>
#include <csetjmp>
#include <cstdio>
#include <cstdlib>
#include <exiv2/exiv2.hpp>

#include "output/rational.h"

namespace tsukimi {

const Bytes& srgb_profile() {
  static const Bytes bytes = [] {
    cmsHPROFILE profile = cmsCreate_sRGBProfile();
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(profile, nullptr, &size);
    Bytes out(size);
    cmsSaveProfileToMem(profile, out.data(), &size);
    cmsCloseProfile(profile);
    // lcms writes the moment of creation into bytes 24..35; same input, same bytes needs a fixed
    // one.
    const std::uint8_t date[12] = {0x07, 0xEA, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0};
    std::copy(std::begin(date), std::end(date), out.begin() + 24);
    std::fill(out.begin() + 84, out.begin() + 100, 0);  // profile id: none
    return out;
  }();
  return bytes;
}

namespace {
struct JpegErrors {
  jpeg_error_mgr base;
  std::jmp_buf jump;
};
}  // namespace

Result<Bytes> encode_jpeg(const Encoded8& picture, int quality) {
  if (picture.width > 65500 || picture.height > 65500)
    return fail("A JPEG file cannot be larger than 65500 pixels a side.");
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
  jpeg_start_compress(&c, TRUE);
  const auto& icc = srgb_profile();
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

namespace {

Exiv2::URational rational(double v) {
  const auto [numerator, denominator] = exif_rational(v);
  return {numerator, denominator};
}

}  // namespace

Result<Bytes> with_metadata(Bytes jpeg, const FrameInfo& frame, Size size,
                            const std::string& note) {
  try {
    auto image = Exiv2::ImageFactory::open(jpeg.data(), static_cast<long>(jpeg.size()));
    image->readMetadata();
    Exiv2::ExifData& exif = image->exifData();
    exif["Exif.Image.Software"] = std::string("Tsukimi");
    exif["Exif.Image.Orientation"] = std::uint16_t{1};
    if (!note.empty()) exif["Exif.Image.ImageDescription"] = note;
    // What the standard asks for beside a picture (EXIF 2.32, tables 17 to 20).
    exif["Exif.Image.XResolution"] = Exiv2::URational(72, 1);
    exif["Exif.Image.YResolution"] = Exiv2::URational(72, 1);
    exif["Exif.Image.ResolutionUnit"] = std::uint16_t{2};  // inch
    exif["Exif.Image.YCbCrPositioning"] = std::uint16_t{1};
    exif["Exif.Photo.ExifVersion"] = std::string("48 50 51 50");          // 0232
    exif["Exif.Photo.FlashpixVersion"] = std::string("48 49 48 48");      // 0100
    exif["Exif.Photo.ComponentsConfiguration"] = std::string("1 2 3 0");  // Y Cb Cr
    if (!frame.maker.empty()) exif["Exif.Image.Make"] = frame.maker;
    if (!frame.camera.empty()) exif["Exif.Image.Model"] = frame.camera;
    if (!frame.lens.empty()) exif["Exif.Photo.LensModel"] = frame.lens;
    if (frame.shutter > 0) exif["Exif.Photo.ExposureTime"] = rational(frame.shutter);
    if (frame.aperture > 0) exif["Exif.Photo.FNumber"] = rational(frame.aperture);
    if (frame.iso > 0)
      exif["Exif.Photo.ISOSpeedRatings"] = static_cast<std::uint16_t>(std::min(frame.iso, 65535.0));
    if (frame.focal_length > 0) exif["Exif.Photo.FocalLength"] = rational(frame.focal_length);
    if (frame.time > 0) {
      std::string time = format_time(frame.time);  // 2031-10-04 18:42:20.00
      exif["Exif.Photo.SubSecTimeOriginal"] = time.substr(20, 2);
      time = time.substr(0, 19);
      time[4] = time[7] = ':';
      exif["Exif.Photo.DateTimeOriginal"] = time;
      exif["Exif.Image.DateTime"] = time;
    }
    exif["Exif.Photo.ColorSpace"] = std::uint16_t{1};
    exif["Exif.Photo.PixelXDimension"] = static_cast<std::uint32_t>(size.width);
    exif["Exif.Photo.PixelYDimension"] = static_cast<std::uint32_t>(size.height);
    image->writeMetadata();
    auto& io = image->io();
    io.open();
    Bytes out(io.size());
    io.seek(0, Exiv2::BasicIo::beg);
    io.read(out.data(), static_cast<long>(out.size()));
    return out;
  } catch (const std::exception& e) {
    return fail("The metadata of " + frame.file + " could not be written: " + e.what() + ".");
  }
}

}  // namespace tsukimi
