// SPDX-License-Identifier: GPL-3.0-or-later
// Where a user's own files lie (XDG Base Directory Specification).
#pragma once

#include <filesystem>

namespace tsukimi {

// $variable/tsukimi where the variable is an absolute path, or under_home/tsukimi in the user's
// home. Empty when the user has no home: then nothing is kept, rather than where others may write.
std::filesystem::path user_folder(const char* variable, const char* under_home);

// What a user keeps (saved looks): $XDG_DATA_HOME/tsukimi or .local/share/tsukimi.
std::filesystem::path data_folder();

}  // namespace tsukimi
