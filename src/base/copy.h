// SPDX-License-Identifier: GPL-3.0-or-later
// Copies that are known to be whole.
#pragma once

#include <filesystem>
#include <string>

#include "base/parallel.h"
#include "base/result.h"

namespace tsukimi {

// Copies a file under a temporary name in the target's folder, syncs it, reads it back and compares
// checksums, gives it the capture's file time, and only then its name. An existing target is an
// error. On any error, and when cancelled, the target's folder is as it was.
Result<void> copy_verified(const std::filesystem::path& from, const std::filesystem::path& to,
                           const Work& work = {});

// XXH3, 128 bit, in hexadecimal.
Result<std::string> file_checksum(const std::filesystem::path& path);

// By size, then by checksum.
Result<bool> same_content(const std::filesystem::path& a, const std::filesystem::path& b);

}  // namespace tsukimi
