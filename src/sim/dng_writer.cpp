// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/dng_writer.h"

#include <tiffio.h>

#include <algorithm>
#include <cmath>
#include <exiv2/exiv2.hpp>

#include "camera/frame_info.h"
#include "output/memory_tiff.h"

namespace tsukimi::sim {
namespace {

constexpr std::uint16_t kLinearRaw = 34892;

void set_common(TIFF* tif, Size size, int bits, int channels, int orientation) {
  TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(size.width));
  TIFFSetField(tif, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(size.height));
  TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, bits);
  TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, channels);
  TIFFSetField(tif, TIFFTAG_ORIENTATION, orientation);
  TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
}

// What says that it is a DNG, in the first directory.
void set_camera(TIFF* tif, const DngLayout& layout) {
  const CameraColour& colour = layout.colour;
  float matrix1[9], matrix2[9], neutral[3];
  for (int i = 0; i < 9; ++i) {
    matrix1[i] = static_cast<float>(colour.matrix1.m[i]);
    matrix2[i] = static_cast<float>(colour.matrix2.m[i]);
  }
  for (int i = 0; i < 3; ++i) neutral[i] = static_cast<float>(colour.neutral[i]);
  const std::uint8_t version[4] = {1, 4, 0, 0}, backward[4] = {1, 2, 0, 0};
  TIFFSetField(tif, TIFFTAG_MAKE, "Tidewater");
  TIFFSetField(tif, TIFFTAG_MODEL, kCameraName);
  TIFFSetField(tif, TIFFTAG_SOFTWARE, "Tsukimi simulated camera");
  TIFFSetField(tif, TIFFTAG_DNGVERSION, version);
  TIFFSetField(tif, TIFFTAG_DNGBACKWARDVERSION, backward);
  TIFFSetField(tif, TIFFTAG_UNIQUECAMERAMODEL, kCameraName);
  if (layout.second_matrix) {
    TIFFSetField(tif, TIFFTAG_COLORMATRIX1, 9, matrix1);
    TIFFSetField(tif, TIFFTAG_COLORMATRIX2, 9, matrix2);
    TIFFSetField(tif, TIFFTAG_CALIBRATIONILLUMINANT1, 17);  // standard light A
    TIFFSetField(tif, TIFFTAG_CALIBRATIONILLUMINANT2, 21);  // D65
  } else {
    TIFFSetField(tif, TIFFTAG_COLORMATRIX1, 9, matrix2);
    TIFFSetField(tif, TIFFTAG_CALIBRATIONILLUMINANT1, 21);
  }
  TIFFSetField(tif, TIFFTAG_ASSHOTNEUTRAL, 3, neutral);
  if (layout.calibration != Mat3{}) {
    float calibration[9];
    std::copy_n(layout.calibration.m.begin(), 9, calibration);
    TIFFSetField(tif, TIFFTAG_CAMERACALIBRATION1, 9, calibration);
    if (layout.second_matrix) TIFFSetField(tif, TIFFTAG_CAMERACALIBRATION2, 9, calibration);
  }
  if (layout.analog_balance != std::array<float, 3>{1, 1, 1})
    TIFFSetField(tif, TIFFTAG_ANALOGBALANCE, 3, layout.analog_balance.data());
}

bool write_preview(TIFF* tif, const std::vector<std::uint8_t>& jpeg, Size size,
                   const DngLayout& layout) {
  TIFFSetField(tif, TIFFTAG_SUBFILETYPE, FILETYPE_REDUCEDIMAGE);
  set_common(tif, size, 8, 3, layout.orientation);
  TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_JPEG);
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_YCBCR);
  TIFFSetField(tif, TIFFTAG_YCBCRSUBSAMPLING, 1, 1);
  TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, static_cast<std::uint32_t>(size.height));
  set_camera(tif, layout);
  const std::uint64_t no_offset = 0;
  TIFFSetField(tif, TIFFTAG_SUBIFD, 1, &no_offset);
  return TIFFWriteRawStrip(tif, 0, const_cast<std::uint8_t*>(jpeg.data()),
                           static_cast<tmsize_t>(jpeg.size())) >= 0 &&
         TIFFWriteDirectory(tif);
}

// Samples of a row as the file has them: whole bytes, or packed with the highest bit first.
std::vector<std::uint8_t> packed(const std::uint16_t* row, int count, int bits) {
  std::vector<std::uint8_t> out;
  if (bits == 16) {
    const auto* bytes = reinterpret_cast<const std::uint8_t*>(row);
    out.assign(bytes, bytes + 2 * static_cast<std::size_t>(count));
    return out;
  }
  std::uint32_t hold = 0;
  int held = 0;
  for (int i = 0; i < count; ++i) {
    hold = hold << bits | row[i];
    for (held += bits; held >= 8; held -= 8)
      out.push_back(static_cast<std::uint8_t>(hold >> (held - 8)));
    hold &= (1u << held) - 1;
  }
  if (held > 0) out.push_back(static_cast<std::uint8_t>(hold << (8 - held)));
  return out;
}

// libtiff knows no lossless JPEG: the tiles go in as they are, and mark_compressed() says later
// what they are.
bool write_tiles(TIFF* tif, const Mosaic& mosaic, const DngLayout& layout) {
  const int width = layout.tile > 0 ? layout.tile : mosaic.width,
            height = layout.tile > 0 ? layout.tile : mosaic.height;
  if (layout.tile > 0) {
    TIFFSetField(tif, TIFFTAG_TILEWIDTH, width);
    TIFFSetField(tif, TIFFTAG_TILELENGTH, height);
  } else {
    TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, height);
  }
  std::vector<std::uint16_t> tile(static_cast<std::size_t>(width) * height);
  std::uint32_t number = 0;
  for (int top = 0; top < mosaic.height; top += height)
    for (int left = 0; left < mosaic.width; left += width) {
      for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
          tile[static_cast<std::size_t>(y) * width + x] =
              mosaic.data[static_cast<std::size_t>(std::min(top + y, mosaic.height - 1)) *
                              mosaic.width +
                          std::min(left + x, mosaic.width - 1)];
      const int line = width * layout.lines_together;
      auto packed = lossless_jpeg(tile.data(), line, height / layout.lines_together,
                                  static_cast<std::size_t>(line), layout.packing);
      const auto size = static_cast<tmsize_t>(packed.size());
      const auto written = layout.tile > 0 ? TIFFWriteRawTile(tif, number++, packed.data(), size)
                                           : TIFFWriteRawStrip(tif, 0, packed.data(), size);
      if (written < 0) return false;
    }
  return true;
}

// In the directory that holds the mosaic: compression 7.
bool mark_compressed(std::vector<std::uint8_t>& file, std::endian order) {
  auto whole = [&](std::size_t at, int count) {
    std::uint32_t out = 0;
    for (int i = 0; i < count; ++i)
      out = out << 8 |
            file[at + static_cast<std::size_t>(order == std::endian::big ? i : count - 1 - i)];
    return out;
  };
  auto entry_of = [&](std::size_t directory, std::uint32_t tag) -> std::size_t {
    for (std::uint32_t i = 0; i < whole(directory, 2); ++i)
      if (const std::size_t at = directory + 2 + i * 12; whole(at, 2) == tag) return at;
    return 0;
  };
  std::size_t directory = whole(4, 4);
  if (const std::size_t sub = entry_of(directory, TIFFTAG_SUBIFD)) directory = whole(sub + 8, 4);
  const std::size_t at = entry_of(directory, TIFFTAG_COMPRESSION);
  if (!at) return false;
  file[at + (order == std::endian::big ? 9 : 8)] = 7;
  return true;
}

bool write_raw(TIFF* tif, const Mosaic& mosaic, const DngLayout& layout) {
  TIFFSetField(tif, TIFFTAG_SUBFILETYPE, 0);
  set_common(tif, {mosaic.width, mosaic.height}, layout.bits, layout.channels, layout.orientation);
  TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
  const bool filters = layout.channels == 1 && !layout.cfa.empty();
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, filters ? PHOTOMETRIC_CFA : kLinearRaw);
  if (filters) {
    const auto side = static_cast<std::uint16_t>(std::lround(std::sqrt(layout.cfa.size())));
    const std::uint16_t repeat[2] = {side, side};
    TIFFSetField(tif, TIFFTAG_CFAREPEATPATTERNDIM, repeat);
    TIFFSetField(tif, TIFFTAG_CFAPATTERN, static_cast<std::uint16_t>(layout.cfa.size()),
                 layout.cfa.data());
  }
  float black[4];
  for (int i = 0; i < 4; ++i) black[i] = static_cast<float>(layout.black[i]);
  if (black[0] != black[1] || black[0] != black[2] || black[0] != black[3]) {
    const std::uint16_t repeat[2] = {2, 2};
    TIFFSetField(tif, TIFFTAG_BLACKLEVELREPEATDIM, repeat);
    TIFFSetField(tif, TIFFTAG_BLACKLEVEL, 4, black);
  } else if (layout.channels == 1) {
    TIFFSetField(tif, TIFFTAG_BLACKLEVEL, 1, black);
  } else {
    TIFFSetField(tif, TIFFTAG_BLACKLEVEL, layout.channels, black);
  }
  std::vector<std::uint32_t> white(layout.channels, static_cast<std::uint32_t>(layout.white));
  TIFFSetField(tif, TIFFTAG_WHITELEVEL, layout.channels, white.data());
  if (!layout.linearization.empty())
    TIFFSetField(tif, TIFFTAG_LINEARIZATIONTABLE,
                 static_cast<std::uint16_t>(layout.linearization.size()),
                 layout.linearization.data());
  if (layout.top + layout.left + layout.bottom + layout.right > 0) {
    const std::uint32_t area[4] = {static_cast<std::uint32_t>(layout.top),
                                   static_cast<std::uint32_t>(layout.left),
                                   static_cast<std::uint32_t>(mosaic.height - layout.bottom),
                                   static_cast<std::uint32_t>(mosaic.width - layout.right)};
    TIFFSetField(tif, TIFFTAG_ACTIVEAREA, area);
  }
  if (layout.seen[2] > 0) {
    const float corner[2] = {static_cast<float>(layout.seen[0]),
                             static_cast<float>(layout.seen[1])};
    const float size[2] = {static_cast<float>(layout.seen[2]), static_cast<float>(layout.seen[3])};
    TIFFSetField(tif, TIFFTAG_DEFAULTCROPORIGIN, corner);
    TIFFSetField(tif, TIFFTAG_DEFAULTCROPSIZE, size);
  }
  if (!layout.black_across.empty())
    TIFFSetField(tif, TIFFTAG_BLACKLEVELDELTAH,
                 static_cast<std::uint16_t>(layout.black_across.size()),
                 layout.black_across.data());
  if (!layout.black_down.empty())
    TIFFSetField(tif, TIFFTAG_BLACKLEVELDELTAV,
                 static_cast<std::uint16_t>(layout.black_down.size()), layout.black_down.data());
  if (layout.compressed) return write_tiles(tif, mosaic, layout) && TIFFWriteDirectory(tif);
  TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, 64);
  const int samples = mosaic.width * layout.channels;
  for (int y = 0; y < mosaic.height; ++y) {
    auto row =
        packed(mosaic.data.data() + static_cast<std::size_t>(y) * samples, samples, layout.bits);
    if (TIFFWriteScanline(tif, row.data(), static_cast<std::uint32_t>(y)) < 0) return false;
  }
  return TIFFWriteDirectory(tif);
}

Result<std::vector<std::uint8_t>> write_pictures(const Mosaic& mosaic,
                                                 const std::vector<std::uint8_t>& jpeg,
                                                 Size preview, const DngLayout& layout) {
  MemoryTiff memory(layout.order);
  TIFF* tif = memory.get();
  bool good = tif != nullptr;
  if (good && !jpeg.empty())
    good = write_preview(tif, jpeg, preview, layout);
  else if (good)
    set_camera(tif, layout);
  if (!good || !write_raw(tif, mosaic, layout)) return fail("A DNG file could not be made.");
  return memory.finish();
}

Exiv2::URational rational(double v) {
  if (v < 0.28) return {1, static_cast<std::uint32_t>(std::lround(1 / v))};
  return {static_cast<std::uint32_t>(std::lround(v * 10)), 10};
}

}  // namespace

Result<std::vector<std::uint8_t>> make_dng(const Mosaic& mosaic, const Shot& shot,
                                           const std::vector<std::uint8_t>& preview_jpeg,
                                           Size preview, const DngLayout& layout) {
  auto bytes = write_pictures(mosaic, preview_jpeg, preview, layout);
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
    if (layout.tells_exposure) {
      exif["Exif.Photo.ExposureTime"] = rational(shot.nominal_shutter());
      exif["Exif.Photo.FNumber"] = rational(shot.nominal_aperture());
      exif["Exif.Photo.ISOSpeedRatings"] = static_cast<std::uint16_t>(shot.nominal_iso());
    }
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
    if (layout.compressed && !mark_compressed(out, layout.order))
      return fail("A DNG file could not be packed.");
    return out;
  } catch (const std::exception& e) {
    return fail(std::string("The metadata of a DNG file could not be written: ") + e.what() + ".");
  }
}

}  // namespace tsukimi::sim
