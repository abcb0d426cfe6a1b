// SPDX-License-Identifier: GPL-3.0-or-later
// Whether what was exported is there, whole and unchanged.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/parallel.h"
#include "base/result.h"

namespace tsukimi {

struct Verified {
  int expected = 0, good = 0;  // files
  // By name. foreign: files that no export of ours made, in a folder of frames.
  std::vector<std::string> missing, changed, foreign;
  bool complete() const { return missing.empty() && changed.empty() && foreign.empty(); }
};

// A folder, or a film in one. Reads every file and compares its checksum with the manifest; every
// number that was asked for must be there; a film must have the frames, the size and the rate that
// it was to have, by what its container says. Fails when the folder has no manifest, or one that
// knows nothing of the film.
Result<Verified> verify_export(const std::filesystem::path& path, const Work& work = {});

}  // namespace tsukimi
