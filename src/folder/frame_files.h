// SPDX-License-Identifier: GPL-3.0-or-later
// Which files of a folder are frames.
#pragma once

#include <filesystem>
#include <vector>

#include "base/result.h"
#include "base/table.h"
#include "camera/file_kind.h"

namespace tsukimi {

enum class Pairs { raw, still };  // of a raw file and a JPEG of the same shot, which is the frame
constexpr Words<Pairs> kPairs{{{Pairs::raw, "raw"}, {Pairs::still, "still"}}};

struct FrameFiles {
  std::vector<std::filesystem::path> files;  // unsorted
  std::size_t others = 0;                    // files of other kinds
  std::size_t pairs = 0;  // shots that are there twice; one of the two was left out
};

// Lists a folder; with `deep` also its subfolders. Hidden files are passed over. A link to a file
// is a frame like another; links to folders are not followed, so that no circle catches us.
Result<FrameFiles> list_frames(const std::filesystem::path& folder, Pairs pairs, bool deep = false);

}  // namespace tsukimi
