#include "sim/dng_writer.h"

#include <tiffio.h>

#include <cmath>
#include <exiv2/exiv2.hpp>

#include "frames/frame_info.h"
#include "output/memory_tiff.h"

namespace tsukimi::sim {
namespace {

void set_common(TIFF* tif) {
  TIFFSetField(tif, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
  TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
}

Result<std::vector<std::uint8_t>> write_pictures(const Mosaic& mosaic,
                                                 const std::vector<std::uint8_t>& jpeg,
                                                 Size preview) {
  MemoryTiff memory;
  TIFF* tif = memory.get();
  if (!tif) return fail("A DNG file could not be made.");
  const CameraColour& colour = camera_colour();
  float matrix1[9], matrix2[9], neutral[3];
  for (int i = 0; i < 9; ++i) {
    matrix1[i] = static_cast<float>(colour.matrix1.m[i]);
    matrix2[i] = static_cast<float>(colour.matrix2.m[i]);
  }
  for (int i = 0; i < 3; ++i) neutral[i] = static_cast<float>(colour.neutral[i]);
  const std::uint8_t version[4] = {1, 4, 0, 0}, backward[4] = {1, 2, 0, 0};

  TIFFSetField(tif, TIFFTAG_SUBFILETYPE, FILETYPE_REDUCEDIMAGE);
  TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(preview.width));
  TIFFSetField(tif, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(preview.height));
  TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 8);
  TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, 3);
  TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_JPEG);
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_YCBCR);
  TIFFSetField(tif, TIFFTAG_YCBCRSUBSAMPLING, 1, 1);
  TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, static_cast<std::uint32_t>(preview.height));
  set_common(tif);
  TIFFSetField(tif, TIFFTAG_MAKE, "Tidewater");
  TIFFSetField(tif, TIFFTAG_MODEL, kCameraName);
  TIFFSetField(tif, TIFFTAG_SOFTWARE, "Tsukimi simulated camera");
  TIFFSetField(tif, TIFFTAG_DNGVERSION, version);
  TIFFSetField(tif, TIFFTAG_DNGBACKWARDVERSION, backward);
  TIFFSetField(tif, TIFFTAG_UNIQUECAMERAMODEL, kCameraName);
  TIFFSetField(tif, TIFFTAG_COLORMATRIX1, 9, matrix1);
  TIFFSetField(tif, TIFFTAG_COLORMATRIX2, 9, matrix2);
  TIFFSetField(tif, TIFFTAG_CALIBRATIONILLUMINANT1, 17);  // standard light A
  TIFFSetField(tif, TIFFTAG_CALIBRATIONILLUMINANT2, 21);  // D65
  TIFFSetField(tif, TIFFTAG_ASSHOTNEUTRAL, 3, neutral);
  const std::uint64_t no_offset = 0;
  TIFFSetField(tif, TIFFTAG_SUBIFD, 1, &no_offset);
  if (TIFFWriteRawStrip(tif, 0, const_cast<std::uint8_t*>(jpeg.data()),
                        static_cast<tmsize_t>(jpeg.size())) < 0 ||
      !TIFFWriteDirectory(tif))
    return fail("A DNG file could not be made.");

  TIFFSetField(tif, TIFFTAG_SUBFILETYPE, 0);
  TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(mosaic.width));
  TIFFSetField(tif, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(mosaic.height));
  TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 16);
  TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, 1);
  TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_CFA);
  TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, 64);
  set_common(tif);
  const std::uint16_t repeat[2] = {2, 2};
  const std::uint8_t pattern[4] = {0, 1, 1, 2};
  TIFFSetField(tif, TIFFTAG_CFAREPEATPATTERNDIM, repeat);
  TIFFSetField(tif, TIFFTAG_CFAPATTERN, 4, pattern);
  const float black[1] = {kBlack};
  const std::uint32_t white[1] = {kWhite};
  TIFFSetField(tif, TIFFTAG_BLACKLEVEL, 1, black);
  TIFFSetField(tif, TIFFTAG_WHITELEVEL, 1, white);
  for (int y = 0; y < mosaic.height; ++y)
    if (TIFFWriteScanline(tif,
                          const_cast<std::uint16_t*>(mosaic.data.data() +
                                                     static_cast<std::size_t>(y) * mosaic.width),
                          static_cast<std::uint32_t>(y)) < 0)
      return fail("A DNG file could not be made.");
  if (!TIFFWriteDirectory(tif)) return fail("A DNG file could not be made.");
  return memory.finish();
}

Exiv2::URational rational(double v) {
  if (v < 0.28) return {1, static_cast<std::uint32_t>(std::lround(1 / v))};
  return {static_cast<std::uint32_t>(std::lround(v * 10)), 10};
}

}  // namespace

Result<std::vector<std::uint8_t>> make_dng(const Mosaic& mosaic, const Shot& shot,
                                           const std::vector<std::uint8_t>& preview_jpeg,
                                           Size preview) {
  auto bytes = write_pictures(mosaic, preview_jpeg, preview);
  if (!bytes) return bytes;
  try {
    auto image = Exiv2::ImageFactory::open(bytes->data(), static_cast<long>(bytes->size()));
    image->readMetadata();
    auto& exif = image->exifData();
    std::string time = format_time(shot.time);
    const std::string hundredths = time.substr(20, 2);
    time = time.substr(0, 19);
    time[4] = time[7] = ':';
    exif["Exif.Image.DateTime"] = time;
    exif["Exif.Photo.DateTimeOriginal"] = time;
    exif["Exif.Photo.SubSecTimeOriginal"] = hundredths;
    exif["Exif.Photo.ExposureTime"] = rational(shot.nominal_shutter());
    exif["Exif.Photo.FNumber"] = rational(shot.nominal_aperture());
    exif["Exif.Photo.ISOSpeedRatings"] = static_cast<std::uint16_t>(shot.nominal_iso());
    exif["Exif.Photo.FocalLength"] = Exiv2::URational(kFocalLength, 1);
    exif["Exif.Photo.LensModel"] = std::string(kLensName);
    exif["Exif.Photo.ExposureMode"] = std::uint16_t{1};  // manual
    exif["Exif.Photo.WhiteBalance"] = std::uint16_t{1};  // manual
    image->writeMetadata();
    auto& io = image->io();
    io.open();
    std::vector<std::uint8_t> out(io.size());
    io.seek(0, Exiv2::BasicIo::beg);
    io.read(out.data(), static_cast<long>(out.size()));
    return out;
  } catch (const std::exception& e) {
    return fail(std::string("The metadata of a DNG file could not be written: ") + e.what() + ".");
  }
}

}  // namespace tsukimi::sim
