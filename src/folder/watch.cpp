// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/watch.h"

#include <algorithm>

#include "camera/sensor_frame.h"
#include "folder/order.h"

namespace tsukimi {
namespace fs = std::filesystem;

FolderWatch::FolderWatch(fs::path folder, Pairs pairs, const std::vector<std::string>& known,
                         int patience)
    : folder_(std::move(folder)),
      pairs_(pairs),
      patience_(patience),
      known_(known.begin(), known.end()) {}

FolderWatch FolderWatch::of(const Sequence& s) {
  std::vector<std::string> known;
  for (const auto& f : shots_of(s.frames)) known.push_back(f.file);
  if (!s.whole_folder)
    if (const auto there = list_frames(s.folder, s.pairs))
      for (const auto& p : there->files) known.push_back(p.filename().string());
  return FolderWatch(s.folder, s.pairs, known);
}

std::vector<FrameInfo> FolderWatch::look() {
  std::vector<FrameInfo> out;
  const auto listed = list_frames(folder_, pairs_);
  if (!listed) return out;  // a drive that is away for a moment
  for (const auto& path : listed->files) {
    const std::string name = path.filename().string();
    if (known_.count(name)) continue;
    std::error_code ec;
    const auto bytes = fs::file_size(path, ec);
    if (ec) continue;
    Growing& g = growing_[name];
    g.still = bytes == g.bytes ? g.still + 1 : 0;
    g.bytes = bytes;
    if (g.still == 0) continue;
    const bool readable = read_frame(path).has_value();
    if (!readable && g.still < patience_) continue;
    out.push_back(read_frame_info(path));
    if (!readable && out.back().usable())
      out.back().problem = "is damaged or cut short; its picture cannot be read whole";
    known_.insert(name);
    growing_.erase(name);
  }
  std::sort(out.begin(), out.end(),
            [](const FrameInfo& a, const FrameInfo& b) { return natural_less(a.file, b.file); });
  return out;
}

}  // namespace tsukimi
