#include <tiffio.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include "output/encode.h"
#include "output/rational.h"

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
bool write_exif(TIFF* tif, const FrameInfo& frame, const std::string& time, std::uint64_t& place) {
  if (TIFFCreateEXIFDirectory(tif) != 0) return false;
  const std::uint8_t version[4] = {'0', '2', '3', '2'};  // so that the directory is never empty
  TIFFSetField(tif, EXIFTAG_EXIFVERSION, version);
  TIFFSetField(tif, EXIFTAG_COLORSPACE, 1);  // sRGB
  const std::uint8_t flashpix[4] = {'0', '1', '0', '0'};
  TIFFSetField(tif, EXIFTAG_FLASHPIXVERSION, flashpix);
  set(tif, EXIFTAG_LENSMODEL, frame.lens);
  set(tif, EXIFTAG_EXPOSURETIME, frame.shutter);
  set(tif, EXIFTAG_FNUMBER, frame.aperture);
  set(tif, EXIFTAG_FOCALLENGTH, frame.focal_length);
  const auto iso = static_cast<std::uint16_t>(std::clamp(frame.iso, 0.0, 65535.0));
  if (iso > 0) TIFFSetField(tif, EXIFTAG_ISOSPEEDRATINGS, 1, &iso);
  if (!time.empty()) {
    set(tif, EXIFTAG_DATETIMEORIGINAL, time.substr(0, 19));
    set(tif, EXIFTAG_SUBSECTIMEORIGINAL, time.substr(20, 2));
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
    const double value = e.tag == EXIFTAG_EXPOSURETIME  ? frame.shutter
                         : e.tag == EXIFTAG_FNUMBER     ? frame.aperture
                         : e.tag == EXIFTAG_FOCALLENGTH ? frame.focal_length
                                                        : 0;
    if (value <= 0 || e.type != TIFF_RATIONAL) continue;
    const auto rational = exif_rational(value);
    const std::uint32_t both[2] = {rational.first, rational.second};
    if (pwrite(fd, both, sizeof both, static_cast<off_t>(e.place)) != sizeof both) return false;
  }
  return true;
}

bool write_picture(TIFF* tif, const Encoded16& picture) {
  const std::size_t row = static_cast<std::size_t>(picture.width) * 6;
  for (int y = 0; y < picture.height; y += kRowsPerStrip) {
    const int rows = std::min(kRowsPerStrip, picture.height - y);
    // Uncompressed in the machine's own byte order: as it is in memory.
    if (TIFFWriteRawStrip(tif, static_cast<std::uint32_t>(y / kRowsPerStrip),
                          const_cast<std::uint16_t*>(picture.row(y)),
                          static_cast<tmsize_t>(row * rows)) < 0)
      return false;
  }
  return true;
}

}  // namespace

int write_tiff16(int fd, const Encoded16& picture, const FrameInfo& frame,
                 const std::string& note) {
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
  std::string time = frame.time > 0 ? format_time(frame.time) : "";  // 2031-10-04 18:42:20.00
  if (!time.empty()) time[4] = time[7] = ':';
  std::uint64_t exif = 0;
  bool good = write_exif(tif, frame, time, exif);
  if (good) {
    const auto& icc = srgb_profile();
    TIFFSetField(tif, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(picture.width));
    TIFFSetField(tif, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(picture.height));
    TIFFSetField(tif, TIFFTAG_BITSPERSAMPLE, 16);
    TIFFSetField(tif, TIFFTAG_SAMPLESPERPIXEL, 3);
    TIFFSetField(tif, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
    TIFFSetField(tif, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(tif, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(tif, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
    TIFFSetField(tif, TIFFTAG_ROWSPERSTRIP, kRowsPerStrip);
    TIFFSetField(tif, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(icc.size()), icc.data());
    TIFFSetField(tif, TIFFTAG_EXIFIFD, exif);
    set(tif, TIFFTAG_SOFTWARE, "Tsukimi");
    set(tif, TIFFTAG_IMAGEDESCRIPTION, note);
    TIFFSetField(tif, TIFFTAG_XRESOLUTION, 72.0);
    TIFFSetField(tif, TIFFTAG_YRESOLUTION, 72.0);
    TIFFSetField(tif, TIFFTAG_RESOLUTIONUNIT, RESUNIT_INCH);
    set(tif, TIFFTAG_MAKE, frame.maker);
    set(tif, TIFFTAG_MODEL, frame.camera);
    if (!time.empty()) set(tif, TIFFTAG_DATETIME, time.substr(0, 19));
    good = write_picture(tif, picture) && TIFFFlush(tif) == 1;
  }
  const int code = errno;
  TIFFClose(tif);
  if (!good) return code != 0 ? code : EIO;
  errno = 0;
  if (!tidy_rationals(fd, exif, frame)) return errno != 0 ? errno : EIO;
  return 0;
}

}  // namespace tsukimi
