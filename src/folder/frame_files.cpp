// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/frame_files.h"

#include <set>
#include <string>

namespace tsukimi {
namespace fs = std::filesystem;

Result<FrameFiles> list_frames(const fs::path& folder, Pairs pairs, bool deep) {
  std::error_code ec;
  if (!fs::is_directory(folder, ec))
    return fail(folder.string() + " is not a folder that can be opened.");
  const auto unreadable = [&] {
    return fail("The folder " + folder.string() + " cannot be read: " + ec.message() + ".");
  };
  // Only what lies below it may be passed over.
  if (fs::directory_iterator(folder, ec); ec) return unreadable();
  FrameFiles out;
  auto take = [&](const fs::path& p) {
    if (kind_of(p) == FileKind::other)
      ++out.others;
    else
      out.files.push_back(p);
  };
  constexpr auto options = fs::directory_options::skip_permission_denied;
  for (auto it = fs::recursive_directory_iterator(folder, options, ec);
       !ec && it != fs::recursive_directory_iterator(); it.increment(ec)) {
    std::error_code ignored;
    const bool hidden = it->path().filename().string().starts_with(".");
    if (it->is_directory(ignored)) {
      if (!deep || hidden) it.disable_recursion_pending();
    } else if (!hidden) {
      // A pipe or a device that is named like a frame is none, and reading it might never end. A
      // link that leads nowhere stays in the list, to be named.
      const auto status = it->status(ignored);
      if (fs::is_regular_file(status) || !fs::exists(status))
        take(it->path());
      else
        ++out.others;
    }
  }
  if (ec) return unreadable();
  std::set<std::string> raws, stills;
  auto shot = [](const fs::path& p) { return fs::path(p).replace_extension().string(); };
  for (const auto& p : out.files) (kind_of(p) == FileKind::raw ? raws : stills).insert(shot(p));
  const FileKind left_out = pairs == Pairs::raw ? FileKind::still : FileKind::raw;
  std::erase_if(out.files, [&](const fs::path& p) {
    if (kind_of(p) != left_out || !raws.count(shot(p)) || !stills.count(shot(p))) return false;
    ++out.pairs;
    return true;
  });
  return out;
}

}  // namespace tsukimi
