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

// A volume, or what lies up to two folders below: a desktop mounts all cameras in one place, each
// in a folder of its own, with a folder for each of its stores.
void look(const fs::path& folder, int below, std::vector<fs::path>& out) {
  if (has_pictures(folder)) {
    out.push_back(folder);
    return;
  }
  if (below == 0) return;
  std::error_code ec;
  for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec))
    if (it->is_directory(ec)) look(it->path(), below - 1, out);
}

}  // namespace

std::vector<fs::path> mounted_cards(const fs::path& table) {
  std::vector<fs::path> out;
  const std::unique_ptr<FILE, int (*)(FILE*)> mounts(setmntent(table.c_str(), "r"), endmntent);
  if (!mounts) return out;
  mntent entry;
  char text[4096];
  while (getmntent_r(mounts.get(), &entry, text, sizeof text)) {
    const std::string_view type = entry.mnt_type;
    if (type == "fuse.gvfsd-fuse")
      look(entry.mnt_dir, 2, out);
    else if (std::string_view(entry.mnt_fsname).starts_with("/dev/") || type.starts_with("fuse"))
      look(entry.mnt_dir, 0, out);
  }
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

}  // namespace tsukimi
