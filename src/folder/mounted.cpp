// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/mounted.h"

#include <mntent.h>

#include <algorithm>
#include <cstdio>
#include <memory>
#include <string_view>

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

// Cameras write it large; a file system without cases may show it small.
bool has_pictures(const fs::path& volume) {
  std::error_code ec;
  return fs::is_directory(volume / "DCIM", ec) || fs::is_directory(volume / "dcim", ec);
}

// A volume, or one of the stores of a camera, a folder each.
void look(const fs::path& folder, bool stores, std::vector<fs::path>& out) {
  if (has_pictures(folder)) out.push_back(folder);
  if (!stores) return;
  std::error_code ec;
  for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec))
    if (has_pictures(it->path())) out.push_back(it->path());
}

// The desktop mounts everything that is no disk in one place, a folder each: cameras and players,
// but also servers, which may never answer.
void look_at_desktop(const fs::path& folder, std::vector<fs::path>& out) {
  std::error_code ec;
  for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec)) {
    const std::string name = it->path().filename();
    if (name.starts_with("gphoto2:") || name.starts_with("mtp:")) look(it->path(), true, out);
  }
}

}  // namespace

std::vector<fs::path> mounted_cards(const fs::path& table) {
  std::vector<fs::path> out;
  const std::unique_ptr<FILE, int (*)(FILE*)> mounts(setmntent(table.c_str(), "r"), endmntent);
  if (!mounts) return out;
  mntent entry;
  char text[4096];
  while (getmntent_r(mounts.get(), &entry, text, sizeof text)) {
    if (std::string_view(entry.mnt_type) == "fuse.gvfsd-fuse")
      look_at_desktop(entry.mnt_dir, out);
    else if (std::string_view(entry.mnt_fsname).starts_with("/dev/"))
      look(entry.mnt_dir, false, out);
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

}  // namespace tsukimi
