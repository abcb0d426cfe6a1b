// The .tsukimi file: JSON, described in docs/formats.md.
#pragma once

#include <filesystem>

#include "document/shoot.h"

namespace tsukimi {

constexpr int kShootSchema = 6;

// Written atomically, replacing an older version of the same shoot. Paths are stored relative to
// it.
Result<void> save_shoot(const Shoot& shoot, const std::filesystem::path& file);

// Reads the file and scans its folder again. Fails, and changes nothing, for a broken file, a newer
// schema, or a folder that is gone. Frames that have disappeared stay listed with their problem.
Result<Shoot> open_shoot(const std::filesystem::path& file, const Work& work = {});

}  // namespace tsukimi
