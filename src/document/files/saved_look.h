// SPDX-License-Identifier: GPL-3.0-or-later
// Looks that are kept under a name: readable JSON (docs/formats.md), a file each in the user's data
// folder, and a few of our own.
#pragma once

#include <filesystem>

#include "adjust/look_parts.h"
#include "base/result.h"
#include "places/place.h"

namespace tsukimi {

struct SavedLook {
  std::string name, group;
  // What it sets; the rest of a look stays as it is. In the order of the table.
  std::vector<std::pair<Param, double>> values;
  std::filesystem::path file;           // empty: one of our own, or not written yet
  std::vector<LocalPlace> places = {};  // that it adds (kept_places.h)
  bool operator==(const SavedLook&) const = default;
};

// What of `look` differs from `start` (a neutral look), and never exposure unless it is asked for.
SavedLook saved_look(std::string name, std::string group, const Values& look, const Values& start,
                     bool with_exposure);
// The look with what it sets, of these rows only.
Values applied(const SavedLook& saved, Values look, std::span<const Param> rows);
std::vector<Param> rows_of(const SavedLook& saved);

// Of our own and of the folder, those with a group together, by name. Files that are no looks are
// passed over, and named in `wrong` (a sentence each).
std::vector<SavedLook> all_looks(const std::filesystem::path& folder,
                                 std::vector<std::string>* wrong = nullptr);
std::filesystem::path looks_folder();  // the user's; empty without a home

Result<SavedLook> read_look(const std::filesystem::path& file);
// To that file, which may be an older one of a look; a name that is free in a folder is made by
// look_file().
Result<void> write_look(const SavedLook& look, const std::filesystem::path& file);
std::filesystem::path look_file(const std::filesystem::path& folder, const SavedLook& look);

}  // namespace tsukimi
