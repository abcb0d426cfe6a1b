// SPDX-License-Identifier: GPL-3.0-or-later
// Where nothing may be written: onto a camera's card, and among original frames.
#pragma once

#include <filesystem>
#include <functional>
#include <set>

#include "base/file.h"
#include "base/result.h"

namespace tsukimi {

// The card that a path lies on: what holds the DCIM folder that it is in or below, or a mounted
// volume with one; empty when it lies on none. Real paths, so that no link leads around it.
std::filesystem::path card_of(const std::filesystem::path& path);

// Whether `path` is `folder` or lies below it, by the components of their real paths. What does not
// exist yet counts as where it would be made.
bool lies_in(const std::filesystem::path& path, const std::filesystem::path& folder);

// Fails, with a sentence, when new files may not be put into `folder`: on a card, in a folder that
// holds raw files, or in that of the frames themselves. made_here: raw files that we made there
// count as none.
using MadeHere = std::function<bool(const std::filesystem::path& file)>;
Result<void> check_may_write(const std::filesystem::path& folder,
                             const std::filesystem::path& frames = {},
                             const MadeHere& made_here = {});

// Fails when a file of that name is there and is a picture, be it empty: no document of ours
// replaces it.
Result<void> check_no_picture(const std::filesystem::path& file);

// What somebody reads while he writes: files that must not be written to under whatever name, link
// or not, and the folders in which they lie.
class Originals {
 public:
  explicit Originals(std::filesystem::path folder);
  const std::filesystem::path& folder() const { return folder_; }
  void add_frame(const std::filesystem::path& file);  // its real folder is one of originals
  void add_file(const std::filesystem::path& file);   // only the file itself
  Result<void> check_folder(const std::filesystem::path& folder,
                            const MadeHere& made_here = {}) const;
  Result<void> check_file(const std::filesystem::path& file) const;

 private:
  std::filesystem::path folder_;
  std::set<FileId> files_, folders_;
};

}  // namespace tsukimi
