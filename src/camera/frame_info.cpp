// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/frame_info.h"

#include <sys/stat.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <ctime>
#include <exiv2/exiv2.hpp>
#include <unordered_map>

#include "base/file.h"
#include "base/text.h"
#include "camera/prepare_exiv2.h"

namespace tsukimi {
namespace {

// Numbers on cameras are rounded: 1/60 s stands for 1/64, f/5.6 for 5.66.
double snap_to_third(double stops) {
  constexpr double kRounded = 0.12;  // stops
  const double snapped = std::round(stops * 3) / 3;
  return std::fabs(snapped - stops) <= kRounded ? snapped : stops;
}

using Keys = std::initializer_list<const char*>;

// The library looks through all of a file for every key, and puts each key together anew.
class Exif {
 public:
  explicit Exif(const Exiv2::ExifData& data) {
    for (const auto& datum : data)
      if (datum.count() > 0) by_key_.try_emplace(datum.key(), &datum);
  }
  const Exiv2::Exifdatum* find(Keys keys) const {
    for (const char* key : keys)
      if (const auto it = by_key_.find(key); it != by_key_.end()) return it->second;
    return nullptr;
  }

 private:
  std::unordered_map<std::string, const Exiv2::Exifdatum*> by_key_;
};

// toRational() is signed: numbers of 2^31 and more would come out negative.
double value_of(const Exiv2::Exifdatum& datum, long n = 0) {
  const Exiv2::Value& value = datum.value();
  auto divided = [](auto r) {
    return r.second != 0 ? static_cast<double>(r.first) / static_cast<double>(r.second) : 0.0;
  };
  if (n >= datum.count()) return 0;
  if (const auto* rationals = dynamic_cast<const Exiv2::URationalValue*>(&value))
    return divided(rationals->value_[static_cast<std::size_t>(n)]);
  if (const auto* whole = dynamic_cast<const Exiv2::ULongValue*>(&value))
    return whole->value_[static_cast<std::size_t>(n)];
  return divided(datum.toRational(n));
}

double number(const Exif& exif, Keys keys) {
  const auto* datum = exif.find(keys);
  const double v = datum ? value_of(*datum) : 0;
  return std::isfinite(v) && v > 0 ? v : 0;
}

std::string text(const Exif& exif, Keys keys) {
  const auto* datum = exif.find(keys);
  if (!datum) return {};
  std::string s = datum->toString();
  while (!s.empty() && (s.back() == '\0' || s.back() == ' ')) s.pop_back();
  return s;
}

// AsShotNeutral is the camera's answer to white: its inverse is the gain.
double blue_over_red(const Exif& exif) {
  const auto* neutral = exif.find({"Exif.Image.AsShotNeutral"});
  if (!neutral || neutral->count() < 3) return 0;
  const double r = value_of(*neutral, 0), b = value_of(*neutral, 2);
  return r > 0 && b > 0 ? r / b : 0;
}

double degrees(const Exif& exif, Keys value, Keys side, char negative) {
  const auto* datum = exif.find(value);
  if (!datum || datum->count() < 3) return std::nan("");
  const double v = value_of(*datum, 0) + value_of(*datum, 1) / 60 + value_of(*datum, 2) / 3600;
  return text(exif, side).starts_with(negative) ? -v : v;
}

// Nothing where the camera said nothing, or nonsense.
std::optional<Location> location(const Exif& exif) {
  Location at{degrees(exif, {"Exif.GPSInfo.GPSLatitude"}, {"Exif.GPSInfo.GPSLatitudeRef"}, 'S'),
              degrees(exif, {"Exif.GPSInfo.GPSLongitude"}, {"Exif.GPSInfo.GPSLongitudeRef"}, 'W'),
              {},
              {}};
  if (!(std::fabs(at.latitude) <= 90 && std::fabs(at.longitude) <= 180)) return {};
  if (const auto* altitude = exif.find({"Exif.GPSInfo.GPSAltitude"})) {
    const bool below = text(exif, {"Exif.GPSInfo.GPSAltitudeRef"}) == "1";
    at.altitude = below ? -value_of(*altitude) : value_of(*altitude);
  }
  // A character code of eight bytes, and text. Other codes than ASCII's are for other alphabets.
  if (const auto* method = exif.find({"Exif.GPSInfo.GPSProcessingMethod"})) {
    std::string bytes;
    constexpr long kMost = 100;  // of a word or two
    for (long i = 0; i < std::min(method->count(), kMost); ++i)
      bytes += static_cast<char>(method->toLong(i));
    if (bytes.starts_with("ASCII"))
      for (char c : bytes.substr(std::min<std::size_t>(8, bytes.size())))
        if (c >= 32 && c < 127) at.method += c;
  }
  return at;
}

double parse_time(const std::string& date, const std::string& subsec) {
  std::tm tm{};
  if (std::sscanf(date.c_str(), "%d:%d:%d %d:%d:%d", &tm.tm_year, &tm.tm_mon, &tm.tm_mday,
                  &tm.tm_hour, &tm.tm_min, &tm.tm_sec) != 6 ||
      tm.tm_year < 1970 || tm.tm_year > 9999)
    return 0;
  tm.tm_year -= 1900;
  tm.tm_mon -= 1;
  double fraction = 0, unit = 0.1;
  for (char c : subsec) {
    if (c < '0' || c > '9') break;
    fraction += (c - '0') * unit;
    unit /= 10;
  }
  return static_cast<double>(timegm(&tm)) + fraction;
}

}  // namespace

double nominal_gain(const FrameInfo& f) {
  const double t = f.shutter > 0 ? f.shutter : 1, s = f.iso > 0 ? f.iso : 100,
               n = f.aperture > 0 ? f.aperture : 1;
  return std::log2(t * s / (100 * n * n));
}

double exact_gain(const FrameInfo& f) {
  const double t = f.shutter > 0 ? f.shutter : 1, s = f.iso > 0 ? f.iso : 100,
               n = f.aperture > 0 ? f.aperture : 1;
  return snap_to_third(std::log2(t)) + snap_to_third(std::log2(s / 100)) -
         snap_to_third(2 * std::log2(n)) + f.as_if;
}

std::vector<std::optional<double>> comparable_gains(const std::vector<FrameInfo>& frames) {
  auto told = [](const FrameInfo& f) {
    return (f.shutter > 0 ? 1 : 0) + (f.iso > 0 ? 2 : 0) + (f.aperture > 0 ? 4 : 0);
  };
  std::array<int, 8> count{};
  for (const auto& f : frames)
    if (f.usable()) ++count[told(f)];
  const auto usual = std::max_element(count.begin(), count.end()) - count.begin();
  std::vector<std::optional<double>> out(frames.size());
  for (std::size_t i = 0; i < frames.size(); ++i)
    if (told(frames[i]) == usual) out[i] = exact_gain(frames[i]);
  return out;
}

static std::int64_t nanoseconds(const timespec& t) {
  return t.tv_sec * 1'000'000'000LL + t.tv_nsec;
}

static Result<void> check(const std::filesystem::path& folder, const FrameInfo& frame,
                          bool all_of_it) {
  struct stat st {};
  // One that is away is told by who reads it.
  if (frame.bytes == 0 || stat((folder / frame.file).c_str(), &st) != 0) return {};
  if (static_cast<std::uint64_t>(st.st_size) == frame.bytes &&
      nanoseconds(st.st_mtim) == frame.modified &&
      (!all_of_it || nanoseconds(st.st_ctim) == frame.changed))
    return {};
  return fail(printable(frame.file) +
                  " was changed after the shoot was opened; it is read anew when that is opened "
                  "again.",
              ErrorCode::unavailable);
}

static Result<void> check_all(const std::filesystem::path& folder, const FrameInfo& frame,
                              bool whole) {
  if (auto ok = check(folder, frame, whole); !ok || !frame.is_merged()) return ok;
  for (const FrameInfo& other : frame.others)
    if (auto ok = check(folder, other, whole); !ok) return ok;
  return {};
}

Result<void> check_unchanged(const std::filesystem::path& folder, const FrameInfo& frame) {
  return check_all(folder, frame, true);
}
Result<void> check_same_file(const std::filesystem::path& folder, const FrameInfo& frame) {
  return check_all(folder, frame, false);
}

FrameInfo read_frame_info(const std::filesystem::path& path) {
  prepare_exiv2();
  FrameInfo info;
  info.file = path.filename().string();
  struct stat st {};
  const auto readable = check_readable(path);
  if (!readable || stat(path.c_str(), &st) != 0) {
    set_problem(info, readable ? Error{"cannot be opened: " + std::string(std::strerror(errno)),
                                       ErrorCode::unavailable}
                               : readable.error());
    return info;
  }
  info.bytes = static_cast<std::uint64_t>(st.st_size);
  info.modified = nanoseconds(st.st_mtim);
  info.changed = nanoseconds(st.st_ctim);
  if (info.bytes == 0) {
    info.problem = "is empty (0 bytes)";
    return info;
  }
  try {
    auto image = Exiv2::ImageFactory::open(path.string());
    image->readMetadata();
    const Exif exif(image->exifData());
    info.shutter = number(exif, {"Exif.Photo.ExposureTime", "Exif.Image.ExposureTime"});
    info.aperture = number(exif, {"Exif.Photo.FNumber", "Exif.Image.FNumber"});
    info.iso = number(exif, {"Exif.Photo.ISOSpeedRatings", "Exif.Image.ISOSpeedRatings"});
    info.focal_length = number(exif, {"Exif.Photo.FocalLength", "Exif.Image.FocalLength"});
    info.white_balance = blue_over_red(exif);
    info.focus_distance =
        number(exif, {"Exif.Photo.SubjectDistance", "Exif.Image.SubjectDistance",
                      "Exif.CanonSi.SubjectDistance", "Exif.CanonFi.FocusDistanceUpper",
                      "Exif.CanonFi.FocusDistanceLower", "Exif.MinoltaCsNew.FocusDistance",
                      "Exif.Nikon1.FocusDistance", "Exif.Nikon3.FocusDistance",
                      "Exif.NikonLd2.FocusDistance", "Exif.NikonLd3.FocusDistance",
                      "Exif.Olympus.FocusDistance", "Exif.OlympusFi.FocusDistance",
                      "Exif.Casio.ObjectDistance", "Exif.Casio2.ObjectDistance"});
    info.location = location(exif);
    info.maker = text(exif, {"Exif.Image.Make"});
    info.camera = text(exif, {"Exif.Image.Model"});
    info.serial = text(exif, {"Exif.Photo.BodySerialNumber", "Exif.Image.CameraSerialNumber"});
    info.lens = text(exif, {"Exif.Photo.LensModel"});
    info.time = parse_time(text(exif, {"Exif.Photo.DateTimeOriginal", "Exif.Image.DateTimeOriginal",
                                       "Exif.Image.DateTime"}),
                           text(exif, {"Exif.Photo.SubSecTimeOriginal", "Exif.Photo.SubSecTime"}));
    info.zone = text(exif, {"Exif.Photo.OffsetTimeOriginal", "Exif.Photo.OffsetTime"});
    if (!zone_seconds(info.zone)) info.zone.clear();
    info.artist = text(exif, {"Exif.Image.Artist"});
    info.size = {static_cast<int>(image->pixelWidth()), static_cast<int>(image->pixelHeight())};
    const double orientation = number(exif, {"Exif.Image.Orientation"});
    if (orientation >= 5 && orientation <= 8) std::swap(info.size.width, info.size.height);
  } catch (const std::bad_alloc&) {
    info.problem = "cannot be read: there is not enough memory";
    info.away = true;
  } catch (const std::exception&) {
    // The library says the same of a damaged file and of one that it could not open again.
    const auto still = check_readable(path);
    if (still)
      info.problem = "is not a picture file that can be read, or is damaged";
    else
      set_problem(info, still.error());
  }
  return info;
}

void set_problem(FrameInfo& frame, const Error& why) {
  // Messages begin with the file's name, with or without its folder; the problem goes on after it.
  std::string text = why.message;
  const std::string name = printable(frame.file);
  for (const std::string& begin : {frame.file, name})
    if (const auto at = text.find(begin); !begin.empty() && at != std::string::npos) {
      const auto after = at + begin.size();
      if (after < text.size() && text[after] == ' ') text = text.substr(after + 1);
      break;
    }
  if (text.ends_with(".")) text.pop_back();
  frame.problem = text;
  frame.away = why.code == ErrorCode::unavailable;
}

std::optional<int> zone_seconds(const std::string& zone) {
  int hours = 0, minutes = 0, end = 0;
  char sign = 0;
  if (std::sscanf(zone.c_str(), "%c%2d:%2d%n", &sign, &hours, &minutes, &end) != 3 || end != 6 ||
      zone.size() != 6 || (sign != '+' && sign != '-') || hours < 0 || hours > 14 || minutes < 0 ||
      minutes > 59)
    return {};
  return (sign == '-' ? -1 : 1) * (hours * 3600 + minutes * 60);
}

std::string format_time(double time) {
  if (time <= 0) return {};
  const auto hundredths = std::llround(time * 100);
  const std::time_t seconds = hundredths / 100;
  std::tm tm{};
  gmtime_r(&seconds, &tm);
  char text[48];
  const auto n = std::strftime(text, sizeof text, "%Y-%m-%d %H:%M:%S", &tm);
  std::snprintf(text + n, sizeof text - n, ".%02d", static_cast<int>(hundredths % 100));
  return text;
}

std::string format_clock(double time) {
  const std::string s = format_time(time);
  return s.empty() ? std::string("--:--:--") : s.substr(11, 8);
}

std::string format_shutter(double s) {
  char text[32];
  constexpr double kAsFraction = 0.3;  // shorter ones are written 1/N, as cameras do
  if (s <= 0) return "?";
  if (s < kAsFraction)
    std::snprintf(text, sizeof text, "1/%.0f s", 1 / s);
  else
    std::snprintf(text, sizeof text, "%.3g s", s);
  return text;
}

}  // namespace tsukimi
