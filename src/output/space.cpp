// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/space.h"

#include <sys/statvfs.h>

#include <cmath>
#include <cstdio>

#include "base/memory.h"
#include "output/av.h"
#include "output/format_encoder.h"

namespace tsukimi {
namespace fs = std::filesystem;

double estimated_bytes(const ExportSettings& how, Size size) {
  const double pixels = static_cast<double>(size.width) * size.height;
  constexpr double kHead = 4096;  // profile and facts
  return kHead + pixels * encoder_of(how.format).pixel_bytes(how);
}

std::optional<double> free_space(const fs::path& folder) {
  std::error_code ec;
  for (fs::path at = fs::absolute(folder, ec); !at.empty(); at = at.parent_path()) {
    struct statvfs s {};
    if (::statvfs(at.c_str(), &s) == 0)
      return static_cast<double>(s.f_bavail) * static_cast<double>(s.f_frsize);
    if (at == at.parent_path()) break;
  }
  return {};
}

double estimated_film_bytes(const FilmSettings& how, Rate rate, Size size, int frames) {
  const double pixels = static_cast<double>(size.width) * size.height * frames;
  if (how.bitrate > 0)
    return static_cast<double>(how.bitrate) / 8 * frames * rate.seconds / rate.frames;
  double bits = av::encoder_of(how.codec).pixel_bits;
  if (how.bits > 8) bits *= av::encoder_of(how.codec).more_when_deep;
  if (info(how.codec).has_quality) bits *= std::exp2((how.quality - 85) / 13);
  return pixels * bits / 8;
}

namespace {

std::string amount(double bytes) {
  char text[40];
  std::snprintf(text, sizeof text, bytes < 1e9 ? "%.1f MB" : "%.2f GB",
                bytes < 1e9 ? bytes / 1e6 : bytes / 1e9);
  return text;
}

// sure: the share of what is needed that is needed in any case.
Result<void> check_room(const fs::path& folder, double needed, double sure, int frames) {
  const auto there = free_space(folder);
  if (!there || needed * sure <= *there) return {};
  return fail(folder.string() + " has " + amount(*there) + " free, " + std::to_string(frames) +
              " frames need about " + amount(needed) + ". Nothing was written.");
}

}  // namespace

Result<void> check_space(const fs::path& folder, const ExportSettings& how, Size size, int frames) {
  const bool exact = info(how.format).compressions && how.compression == Compression::none;
  return check_room(folder, estimated_bytes(how, size) * frames, exact ? 1.0 : 0.5, frames);
}

Result<void> check_film_space(const fs::path& folder, const FilmSettings& how, Rate rate, Size size,
                              int frames) {
  // Pictures that hardly move take a tenth of what others do.
  return check_room(folder, 2 * estimated_film_bytes(how, rate, size, frames),
                    info(how.codec).has_quality ? 0.1 : 0.4, frames);
}

std::string room_note(const fs::path& folder, const FilmSettings& how, Rate rate, Size size,
                      int frames) {
  const auto there = free_space(folder);
  const double needed = 2 * estimated_film_bytes(how, rate, size, frames);
  if (!there || needed <= *there) return {};
  return folder.string() + " has " + amount(*there) + " free; the film and its segments may need " +
         amount(needed) + ".";
}

Result<void> check_memory(Size size, double bytes) {
  const double pixels = static_cast<double>(size.width) * size.height;
  const double needed = pixels * (12 + bytes);
  const auto free = static_cast<double>(free_memory());
  if (needed <= free) return {};
  char text[200];
  std::snprintf(text, sizeof text,
                "Frames of %d×%d pixels need about %.1f GB of memory each, %.1f GB are free. "
                "Choose a smaller size.",
                size.width, size.height, needed / 1e9, free / 1e9);
  return fail(text);
}

}  // namespace tsukimi
