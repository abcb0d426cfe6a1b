// SPDX-License-Identifier: GPL-3.0-or-later
#include <tiffio.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>

#include "base/parallel.h"
#include "output/capture_facts.h"
#include "output/encode.h"
#include "output/profile.h"

namespace tsukimi {
namespace {

constexpr int kRowsPerStrip = 64;

void quiet(const char*, const char*, va_list) {}

void set(TIFF* tif, std::uint32_t tag, const std::string& text) {
  if (!text.empty()) TIFFSetField(tif, tag, text.c_str());
}
void set(TIFF* tif, std::uint32_t tag, double positive) {
  if (positive > 0) TIFFSetField(tif, tag, positive);
}

// What the camera noted; gives the place of the directory.
bool write_exif(TIFF* tif, const PictureFacts& facts, const ExifTime& time, std::uint64_t& place) {
  const FrameInfo& frame = facts.frame;
  if (TIFFCreateEXIFDirectory(tif) != 0) return false;
  const std::uint8_t version[4] = {'0', '2', '3', '2'};  // so that the directory is never empty
  TIFFSetField(tif, EXIFTAG_EXIFVERSION, version);
  constexpr int kIsSrgb = 1, kSeeProfile = 0xFFFF;
  TIFFSetField(tif, EXIFTAG_COLORSPACE, facts.space == ColourSpace::srgb ? kIsSrgb : kSeeProfile);
  const std::uint8_t flashpix[4] = {'0', '1', '0', '0'};
  TIFFSetField(tif, EXIFTAG_FLASHPIXVERSION, flashpix);
  for (const auto& fact : kCaptureTexts)
    if (fact.is_photo()) set(tif, fact.tag, fact.of(frame));
  for (const auto& fact : kCaptureNumbers) set(tif, fact.tag, fact.of(frame));
  const auto iso = static_cast<std::uint16_t>(std::clamp(frame.iso, 0.0, 65535.0));
  if (iso > 0) TIFFSetField(tif, EXIFTAG_ISOSPEEDRATINGS, 1, &iso);
  if (!time.moment.empty()) {
    set(tif, EXIFTAG_DATETIMEORIGINAL, time.moment);
    set(tif, EXIFTAG_SUBSECTIMEORIGINAL, time.fraction);
    set(tif, EXIFTAG_OFFSETTIMEORIGINAL, frame.zone);
    set(tif, EXIFTAG_OFFSETTIME, frame.zone);
  }
  if (!TIFFWriteCustomDirectory(tif, &place)) return false;
  TIFFFreeDirectory(tif);
  return TIFFCreateDirectory(tif) == 0;
}

// libtiff keeps rationals as floating point and makes 10324441/134217728 of 1/13; here they become
// what a photographer reads. All in the machine's own byte order, like the file.
bool tidy_rationals(int fd, std::uint64_t directory, const FrameInfo& frame) {
  struct __attribute__((packed)) Entry {
    std::uint16_t tag, type;
    std::uint32_t count, place;
  };
  std::uint16_t count = 0;
  if (pread(fd, &count, sizeof count, static_cast<off_t>(directory)) != sizeof count) return false;
  for (int i = 0; i < count; ++i) {
    Entry e;
    const auto at = static_cast<off_t>(directory + 2 + i * sizeof e);
    if (pread(fd, &e, sizeof e, at) != sizeof e) return false;
    const auto fact = std::ranges::find(kCaptureNumbers, e.tag, &CaptureFact<double>::tag);
    if (fact == std::end(kCaptureNumbers) || e.type != TIFF_RATIONAL) continue;
    const auto rational = exif_rational(fact->of(frame));
    const std::uint32_t both[2] = {rational.first, rational.second};
    if (pwrite(fd, both, sizeof both, static_cast<off_t>(e.place)) != sizeof both) return false;
  }
  return true;
}

// Where the camera stood; gives the place of the directory.
bool write_location(TIFF* tif, const Location& at, std::uint64_t& place) {
  if (TIFFCreateGPSDirectory(tif) != 0) return false;
  const std::uint8_t version[4] = {2, 3, 0, 0};
  TIFFSetField(tif, GPSTAG_VERSIONID, version);
  auto degrees = [&](std::uint32_t side_tag, std::uint32_t tag, double v, const char* sides) {
    const char side[2] = {sides[v < 0], 0};
    const ExifDegrees d(v);
    const double parts[3] = {static_cast<double>(d.degrees), static_cast<double>(d.minutes),
                             static_cast<double>(d.hundredths) / 100};
    TIFFSetField(tif, side_tag, side);
    TIFFSetField(tif, tag, parts);
  };
  degrees(GPSTAG_LATITUDEREF, GPSTAG_LATITUDE, at.latitude, "NS");
  degrees(GPSTAG_LONGITUDEREF, GPSTAG_LONGITUDE, at.longitude, "EW");
  if (at.altitude) {
    TIFFSetField(tif, GPSTAG_ALTITUDEREF, *at.altitude < 0 ? 1 : 0);
    TIFFSetField(tif, GPSTAG_ALTITUDE, std::fabs(*at.altitude));
  }
  if (!at.method.empty()) {
    const std::string method = exif_undefined_text(at.method);
    TIFFSetField(tif, GPSTAG_PROCESSINGMETHOD, static_cast<std::uint16_t>(method.size()),
                 method.data());
  }
  if (!TIFFWriteCustomDirectory(tif, &place)) return false;
  TIFFFreeDirectory(tif);
  return TIFFCreateDirectory(tif) == 0;
}

template <typename T>
bool write_rows(TIFF* tif, const Encoded<T>& picture, Compression compression) {
  const std::size_t row = static_cast<std::size_t>(picture.width) * 3 * sizeof(T);
  Bytes strip;  // a predictor changes what it is given
  for (int y = 0; y < picture.height; y += kRowsPerStrip) {
    const int rows = std::min(kRowsPerStrip, picture.height - y);
    const auto number = static_cast<std::uint32_t>(y / kRowsPerStrip);
    const auto* from = reinterpret_cast<const std::uint8_t*>(picture.row(y));
    const std::size_t bytes = row * static_cast<std::size_t>(rows);
    if (compression == Compression::none) {
      // In the machine's own byte order: as it is in memory.
      if (TIFFWriteRawStrip(tif, number, const_cast<std::uint8_t*>(from),
                            static_cast<tmsize_t>(bytes)) < 0)
        return false;
    } else {
      strip.assign(from, from + bytes);
      if (TIFFWriteEncodedStrip(tif, number, strip.data(), static_cast<tmsize_t>(bytes)) < 0)
        return false;
    }
  }
  return true;
}

void set_compression(TIFF* tif, Compression compression) {
  const std::uint16_t codes[] = {COMPRESSION_NONE, COMPRESSION_LZW, COMPRESSION_ADOBE_DEFLATE};
  TIFFSetField(tif, TIFFTAG_COMPRESSION, codes[static_cast<int>(compression)]);
  if (compression != Compression::none) TIFFSetField(tif, TIFFTAG_PREDICTOR, PREDICTOR_HORIZONTAL);
}

// What RGB means in the file.
void set_profile(TIFF* tif, const PictureFacts& facts) {
  const auto& icc = icc_profile(facts.space, facts.icc);
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
  TIFFSetField(tif, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(icc.size()), icc.data());
}

// Numbers of DNG: black stands a little above 0, so that noise below it survives.
constexpr float kDngBlack = 512, kDngWhite = 65535;

void set_dng(TIFF* tif, const PictureFacts& facts) {
  constexpr std::uint16_t kLinearRaw = 34892, kD65 = 21, kD50 = 23;
  constexpr std::uint8_t kVersion[] = {1, 4, 0, 0}, kReader[] = {1, 1, 0, 0};
  const ColourSpaceInfo& space = info(facts.space);
  const Mat3 matrix = inverse(primaries_to_xyz(space.red, space.green, space.blue, space.white));
  float numbers[9];
  std::ranges::transform(matrix.m, numbers, [](double v) { return static_cast<float>(v); });
  const float black[] = {kDngBlack, kDngBlack, kDngBlack}, neutral[] = {1, 1, 1};
  const std::uint32_t white[] = {static_cast<std::uint32_t>(kDngWhite),
                                 static_cast<std::uint32_t>(kDngWhite),
                                 static_cast<std::uint32_t>(kDngWhite)};
  TIFFSetField(tif, TIFFTAG_SUBFILETYPE, 0);
  TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, kLinearRaw);
  TIFFSetField(tif, TIFFTAG_DNGVERSION, kVersion);
  TIFFSetField(tif, TIFFTAG_DNGBACKWARDVERSION, kReader);
  TIFFSetField(tif, TIFFTAG_UNIQUECAMERAMODEL,
               facts.frame.camera.empty() ? "Tsukimi" : facts.frame.camera.c_str());
  TIFFSetField(tif, TIFFTAG_CALIBRATIONILLUMINANT1, space.white.x > 0.33 ? kD50 : kD65);
  TIFFSetField(tif, TIFFTAG_COLORMATRIX1, 9, numbers);
  TIFFSetField(tif, TIFFTAG_ASSHOTNEUTRAL, 3, neutral);
  TIFFSetField(tif, TIFFTAG_BLACKLEVEL, 3, black);
  TIFFSetField(tif, TIFFTAG_WHITELEVEL, 3, white);
  TIFFSetField(tif, TIFFTAG_BASELINEEXPOSURE, static_cast<double>(facts.headroom));
}

template <typename T>
int write(int fd, const Encoded<T>& picture, Compression compression, const PictureFacts& facts,
          void (*set_colours)(TIFF*, const PictureFacts&) = set_profile) {
  const FrameInfo& frame = facts.frame;
  static const bool silent = [] {
    TIFFSetErrorHandler(quiet);
    TIFFSetWarningHandler(quiet);
    return true;
  }();
  (void)silent;
  const int own = ::dup(fd);  // libtiff closes it
  if (own < 0) return errno;
  errno = 0;
  TIFF* tif = TIFFFdOpen(own, "frame", "w");
  if (!tif) {
    ::close(own);
    return errno != 0 ? errno : EIO;
  }
  const ExifTime time(frame.time);
  std::uint64_t exif = 0, location = 0;
  bool good = write_exif(tif, facts, time, exif);
  if (good && frame.location) good = write_location(tif, *frame.location, location);
  if (good) {
    TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(picture.width));
    TIFFSetField(tif, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(picture.height));
    TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 8 * sizeof(T));
    TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    set_compression(tif, compression);
    TIFFSetField(tif, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
    TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, kRowsPerStrip);
    set_colours(tif, facts);
    TIFFSetField(tif, TIFFTAG_EXIFIFD, exif);
    if (location) TIFFSetField(tif, TIFFTAG_GPSIFD, location);
    set(tif, TIFFTAG_SOFTWARE, "Tsukimi");
    set(tif, TIFFTAG_IMAGEDESCRIPTION, facts.note);
    set(tif, TIFFTAG_COPYRIGHT, facts.copyright);
    TIFFSetField(tif, TIFFTAG_XRESOLUTION, 72.0);
    TIFFSetField(tif, TIFFTAG_YRESOLUTION, 72.0);
    TIFFSetField(tif, TIFFTAG_RESOLUTIONUNIT, RESUNIT_INCH);
    for (const auto& fact : kCaptureTexts)
      if (!fact.is_photo()) set(tif, fact.tag, fact.of(frame));
    set(tif, TIFFTAG_DATETIME, time.moment);
    good = write_rows(tif, picture, compression) && TIFFFlush(tif) == 1;
  }
  const int code = errno;
  TIFFClose(tif);
  if (!good) return code != 0 ? code : EIO;
  errno = 0;
  if (!tidy_rationals(fd, exif, frame)) return errno != 0 ? errno : EIO;
  return 0;
}

}  // namespace

int write_tiff(int fd, const Encoded8& picture, Compression compression,
               const PictureFacts& facts) {
  return write(fd, picture, compression, facts);
}
int write_tiff(int fd, const Encoded16& picture, Compression compression,
               const PictureFacts& facts) {
  return write(fd, picture, compression, facts);
}

Encoded16 to_linear16(const Image& picture, const PictureFacts& facts) {
  Encoded16 out(picture.width, picture.height);
  Mat3 m = rec2020_to(facts.space);
  for (double& v : m.m)
    v *= std::exp2(-facts.headroom) * static_cast<double>(kDngWhite - kDngBlack);
  parallel_rows(picture.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      std::uint16_t* to = out.row(y);
      const float* in[3] = {picture.planes[0].row(y), picture.planes[1].row(y),
                            picture.planes[2].row(y)};
      for (int x = 0; x < picture.width; ++x)
        for (int c = 0; c < 3; ++c) {
          const auto light =
              static_cast<float>(m(c, 0) * in[0][x] + m(c, 1) * in[1][x] + m(c, 2) * in[2][x]);
          *to++ = static_cast<std::uint16_t>(std::clamp(light + kDngBlack + 0.5f, 0.0f, kDngWhite));
        }
    }
  });
  return out;
}

int write_dng(int fd, const Encoded16& picture, const PictureFacts& facts) {
  return write(fd, picture, Compression::none, facts, set_dng);
}

}  // namespace tsukimi
