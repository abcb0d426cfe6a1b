// SPDX-License-Identifier: GPL-3.0-or-later
// Camera cards that are mounted.
#pragma once

#include <filesystem>
#include <vector>

namespace tsukimi {

// Mounted disks with a DCIM folder, and cameras that the desktop mounts for this user, by path.
// Asks no servers, but disks, which may take long. table: of the system's mounts, as in fstab(5).
std::vector<std::filesystem::path> mounted_cards(
    const std::filesystem::path& table = "/proc/self/mounts");

}  // namespace tsukimi
