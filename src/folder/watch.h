// SPDX-License-Identifier: GPL-3.0-or-later
// Frames that a camera is still shooting into a folder.
#pragma once

#include <filesystem>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "folder/frame_files.h"
#include "folder/sequence.h"

namespace tsukimi {

// Looks into a folder again and again. A file counts once it is complete: it has not grown since
// the last look and its picture can be read. A file that stays still but unreadable for `patience`
// looks joins as an unreadable frame.
//
//   FolderWatch watch(folder, Pairs::raw, names_known);
//   every second: for (auto& frame : watch.look()) ...
class FolderWatch {
 public:
  // For a sequence: what its folder holds already joins only if the sequence was all of the folder;
  // else the folder's other frames belong to other sequences.
  static FolderWatch of(const Sequence& sequence);

  FolderWatch(std::filesystem::path folder, Pairs pairs, const std::vector<std::string>& known,
              int patience = 30);
  std::vector<FrameInfo> look();  // in natural order; slow: decodes every new frame
  bool waiting() const { return !growing_.empty(); }  // there are files that are not complete yet

 private:
  struct Growing {
    std::uintmax_t bytes = 0;
    int still = 0;  // looks without growth
  };
  std::filesystem::path folder_;
  Pairs pairs_;
  int patience_;
  std::set<std::string> known_;
  std::map<std::string, Growing> growing_;
};

}  // namespace tsukimi
