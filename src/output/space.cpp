#include "output/space.h"

#include <sys/statvfs.h>

#include <cmath>
#include <cstdio>

namespace tsukimi {
namespace fs = std::filesystem;

double estimated_bytes(const ExportSettings& how, Size size) {
  const double pixels = static_cast<double>(size.width) * size.height;
  constexpr double kHead = 4096;  // profile and facts
  switch (how.format) {
    case FileFormat::jpeg: {
      // About a third of a byte per pixel at quality 92 on all pixels' colours.
      const double all = 0.34 * std::pow(2.0, (how.quality - 92) / 14.0);
      return kHead + pixels * (how.chroma == Chroma::full ? all : 0.75 * all);
    }
    case FileFormat::tiff8:
      return kHead + pixels * (how.compression == Compression::none ? 3 : 2);
    case FileFormat::tiff16:
      return kHead + pixels * (how.compression == Compression::none ? 6 : 5);
    case FileFormat::png8:
      return kHead + pixels * 1.8;
    case FileFormat::png16:
      return kHead + pixels * 4.8;
    case FileFormat::exr:
      return kHead + pixels * 3.6;
  }
  return 0;
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

Result<void> check_space(const fs::path& folder, const ExportSettings& how, Size size, int frames) {
  const bool exact = (how.format == FileFormat::tiff8 || how.format == FileFormat::tiff16) &&
                     how.compression == Compression::none;
  const double needed = estimated_bytes(how, size) * frames;
  const auto there = free_space(folder);
  if (!there || needed * (exact ? 1.0 : 0.5) <= *there) return {};
  char text[160];
  std::snprintf(text, sizeof text,
                " has %.2f GB free, %d frames need about %.2f GB. Nothing was written.",
                *there / 1e9, frames, needed / 1e9);
  return fail(folder.string() + text);
}

}  // namespace tsukimi
