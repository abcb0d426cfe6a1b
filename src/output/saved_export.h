// SPDX-License-Identifier: GPL-3.0-or-later
// Export settings that are kept under a name: readable JSON (docs/formats.md), a file each in the
// user's data folder, and a few of our own.
#pragma once

#include "output/export_job.h"

namespace tsukimi {

struct SavedExport {
  std::string name;
  ExportJob job;               // without places, range and part
  std::filesystem::path file;  // empty: one of our own, or not written yet
  bool operator==(const SavedExport&) const = default;
};

// What is decided for the shoot, without its places.
SavedExport saved_export(std::string name, const Decisions& decisions);
// What is made becomes what was saved; places that were chosen stay where they fit.
void apply(const SavedExport& saved, Decisions& to);

// Of our own, then of the folder, by name. Files that are none are passed over, and named in
// `wrong` (a sentence each).
std::vector<SavedExport> all_exports(const std::filesystem::path& folder,
                                     std::vector<std::string>* wrong = nullptr);
std::filesystem::path exports_folder();  // the user's; empty without a home
// By its name, the user's own before ours, else by a file of that name.
Result<SavedExport> find_export(const std::string& name);

Result<SavedExport> read_export(const std::filesystem::path& file);
Result<void> write_export(const SavedExport& saved, const std::filesystem::path& file);

}  // namespace tsukimi
