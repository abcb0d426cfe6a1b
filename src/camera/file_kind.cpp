// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/file_kind.h"

#include <algorithm>
#include <cctype>
#include <set>
#include <string>

namespace tsukimi {
namespace fs = std::filesystem;

FileKind kind_of(const fs::path& path) {
  static const std::set<std::string> raw{".dng", ".cr2", ".cr3", ".crw", ".nef", ".nrw", ".arw",
                                         ".srf", ".sr2", ".raf", ".orf", ".rw2", ".pef", ".srw",
                                         ".raw", ".rwl", ".iiq", ".3fr", ".fff", ".mos", ".mrw",
                                         ".x3f", ".erf", ".kdc", ".dcr", ".mef", ".gpr"};
  static const std::set<std::string> still{".jpg", ".jpeg", ".png", ".tif", ".tiff"};
  std::string ext = path.extension().string();
  std::transform(ext.begin(), ext.end(), ext.begin(),
                 [](unsigned char c) { return std::tolower(c); });
  return raw.count(ext) ? FileKind::raw : still.count(ext) ? FileKind::still : FileKind::other;
}

}  // namespace tsukimi
