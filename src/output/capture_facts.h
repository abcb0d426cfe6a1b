// SPDX-License-Identifier: GPL-3.0-or-later
// What a camera notes of a capture, and what each kind of metadata calls it: EXIF 2.32, as it is
// written by keys and as tags of TIFF, XMP (ISO 16684-1) and OpenEXR's standard attributes.
#pragma once

#include <cmath>
#include <cstdint>
#include <cstring>
#include <string>
#include <utility>

#include "camera/frame_info.h"

namespace tsukimi {

template <typename T>
struct CaptureFact {
  T FrameInfo::*value;  // empty or 0: not known, and not told
  const char* exif;     // key of Exiv2
  std::uint32_t tag;
  const char* xmp;  // none: it stands in an element of its own there, or nowhere
  const char* exr;
  T of(const FrameInfo& frame) const { return frame.*value; }
  // In the directory of EXIF, not in the picture's own.
  bool is_photo() const { return std::strncmp(exif, "Exif.Photo.", 11) == 0; }
};

constexpr CaptureFact<std::string> kCaptureTexts[] = {
    {&FrameInfo::maker, "Exif.Image.Make", 0x010F, "tiff:Make", nullptr},
    {&FrameInfo::camera, "Exif.Image.Model", 0x0110, "tiff:Model", nullptr},
    {&FrameInfo::artist, "Exif.Image.Artist", 0x013B, nullptr, "artist"},
    {&FrameInfo::lens, "Exif.Photo.LensModel", 0xA434, nullptr, nullptr},
};

// Rationals; seconds, f-number, millimetres.
constexpr CaptureFact<double> kCaptureNumbers[] = {
    {&FrameInfo::shutter, "Exif.Photo.ExposureTime", 0x829A, "exif:ExposureTime", "expTime"},
    {&FrameInfo::aperture, "Exif.Photo.FNumber", 0x829D, "exif:FNumber", "aperture"},
    {&FrameInfo::focal_length, "Exif.Photo.FocalLength", 0x920A, "exif:FocalLength", nullptr},
};

// A positive number as the rational EXIF wants: 1/n below a third, above it over the smallest power
// of ten that says it (5.6 is 56/10).
inline std::pair<std::uint32_t, std::uint32_t> exif_rational(double v) {
  if (v < 0.3) {
    const double n = 1 / v;
    if (std::fabs(n - std::round(n)) < 1e-3 * n)
      return {1, static_cast<std::uint32_t>(std::lround(n))};
    return {static_cast<std::uint32_t>(std::lround(v * 1e6)), 1000000};
  }
  std::uint32_t over = 1;
  while (over < 1000 && std::fabs(v * over - std::round(v * over)) > 1e-6 * v * over) over *= 10;
  return {static_cast<std::uint32_t>(std::lround(v * over)), over};
}

// The time of a capture in the parts that EXIF has it in: "2031:10:04 18:42:20", "00". Empty: not
// known.
struct ExifTime {
  std::string moment, fraction;
  explicit ExifTime(double time) {
    if (time <= 0) return;
    const std::string text = format_time(time);  // 2031-10-04 18:42:20.00
    fraction = text.substr(20, 2);
    moment = text.substr(0, 19);
    moment[4] = moment[7] = ':';
  }
};

// Degrees, minutes and hundredths of a second of a latitude or longitude, without its side.
struct ExifDegrees {
  long degrees, minutes, hundredths;
  explicit ExifDegrees(double v) {
    const long all = std::lround(std::fabs(v) * 360000);
    degrees = all / 360000, minutes = all / 6000 % 60, hundredths = all % 6000;
  }
};

// With the code of its characters in front, as EXIF wants text of no fixed code.
inline std::string exif_undefined_text(const std::string& text) {
  return std::string("ASCII\0\0\0", 8) + text;
}

}  // namespace tsukimi
