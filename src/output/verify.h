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
  // By name. foreign: files that no export of ours made; a folder of frames has none.
  std::vector<std::string> missing, changed, foreign;
  bool complete() const { return missing.empty() && changed.empty() && foreign.empty(); }
};

// Reads every file and compares its checksum with the manifest; every number that was asked for
// must be there. Fails when the folder has no manifest.
Result<Verified> verify_export(const std::filesystem::path& folder, const Work& work = {});

}  // namespace tsukimi
