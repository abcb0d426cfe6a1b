// SPDX-License-Identifier: GPL-3.0-or-later
// How shots become frames, on the command line.
#pragma once

#include <CLI/CLI.hpp>
#include <optional>
#include <string>
#include <vector>

#include "folder/sequence.h"

namespace tsukimi::cli {

struct BracketOptions {
  std::string size = "auto", frame = "merged";
  double pause = 0;
  std::vector<std::string> moved;
  void add_to(CLI::App& app);
  // For shots in their order; nothing: as they are found in each sequence. Throws
  // CLI::ValidationError.
  std::optional<Bracketing> of(const std::vector<FrameInfo>& shots) const;
};

// The frames of a sequence of a folder, by its number from 0 (-1: none, all of them); its shots.
std::vector<int> part_of(const FolderScan& scan, int sequence);
std::vector<FrameInfo> shots_in(const FolderScan& scan, int sequence);

}  // namespace tsukimi::cli
