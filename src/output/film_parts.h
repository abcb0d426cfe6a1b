// SPDX-License-Identifier: GPL-3.0-or-later
// The folder beside a film in which its segments lie until they are joined: FILM.parts. A mark in
// it says that it was made here. What somebody else puts into it is never touched, and the folder
// stays as long as that is in it.
#pragma once

#include <filesystem>

#include "base/result.h"
#include "output/folder_lock.h"

namespace tsukimi {

std::filesystem::path parts_folder(const std::filesystem::path& film);

// Fails when something of that name is there that is not ours: a link, a file, a folder in which
// anything but segments and our locks lies and that is not marked. An empty one may be used.
Result<void> check_parts_folder(const std::filesystem::path& parts);
// Checks it, makes and marks it where it is not there, and holds it (FolderLock::take).
Result<FolderLock> take_parts_folder(const std::filesystem::path& parts, const std::string& who,
                                     int part);

// A file that is named and begins as a segment does.
bool is_segment_file(const std::filesystem::path& file);

// Takes away one segment, or all of them; nothing else.
void remove_segment(const std::filesystem::path& file);
void remove_segments(const std::filesystem::path& parts);
// Takes the folder away when it was made here and holds nothing any more.
void drop_parts_folder(const std::filesystem::path& parts);

}  // namespace tsukimi
