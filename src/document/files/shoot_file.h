// SPDX-License-Identifier: GPL-3.0-or-later
// The .tsukimi file: JSON, described in docs/formats.md.
#pragma once

#include <filesystem>

#include "document/shoot/shoot.h"

namespace tsukimi {

constexpr int kShootSchema = 9;

// What may be replaced: the version that the shoot was read from (shoot.file_sum), or any shoot.
enum class Replace { what_was_read, any };

// Written atomically, into a folder that is there. Paths are stored relative to it; a link stays
// one. The file's checksum, for shoot.file_sum. ErrorCode::exists: another shoot stands there, or
// somebody else has changed it since it was read; it was not touched.
Result<std::string> save_shoot(const Shoot& shoot, const std::filesystem::path& file,
                               Replace replace = Replace::what_was_read);

// Reads the file and scans its folder again. Fails, and changes nothing, for a broken file, a newer
// schema, or a folder that is gone. Frames that have disappeared stay listed with their problem.
Result<Shoot> open_shoot(const std::filesystem::path& file, const Work& work = {});

}  // namespace tsukimi
