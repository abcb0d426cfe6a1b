// SPDX-License-Identifier: GPL-3.0-or-later
// What kind of picture file a name promises.
#pragma once

#include <filesystem>

namespace tsukimi {

enum class FileKind { raw, still, other };  // by extension
FileKind kind_of(const std::filesystem::path& path);

}  // namespace tsukimi
