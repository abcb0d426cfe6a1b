// SPDX-License-Identifier: GPL-3.0-or-later
// A camera's card, and bringing its sequences home.
//
// The card is only ever read. Every file is copied under a temporary name, synced, read back from
// the disk and compared by checksum (XXH3, 128 bit) before it gets its name, so what is there under
// its name is whole. A copy that was broken off goes on where it stopped: files that are there with
// the same content are recognised.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "folder/sequence.h"

namespace tsukimi {

struct Card {
  std::filesystem::path root;  // where the pictures are: the DCIM folder, if there is one
  std::vector<std::filesystem::path> files;  // one per frame
  FolderScan scan;                           // frames, and the sequences they form
  std::uintmax_t bytes(const Part& part) const;
};

// Looks for pictures on a card (or in any folder) and its subfolders and tells the sequences apart.
// Fails when there is none.
Result<Card> read_card(const std::filesystem::path& card, Pairs pairs = Pairs::raw,
                       const Work& work = {});

struct BringReport {
  int total = 0, copied = 0, there = 0;  // there: recognised, with the same content
  bool cancelled = false;
  std::string problem;  // not empty: why it ended early; what is copied is safe
};

// Copies the frames of one part into `to` (made if missing). Names stay, except where the part has
// one name in two subfolders: then all of its files are prefixed with their folder's name. A file
// of another content that has the name already is never replaced: nothing is copied and the problem
// says so.
Result<BringReport> bring_in(const Card& card, const Part& part, const std::filesystem::path& to,
                             const Work& work = {});

// The names that a part's files get, in its order.
std::vector<std::string> brought_names(const Card& card, const Part& part);

}  // namespace tsukimi
