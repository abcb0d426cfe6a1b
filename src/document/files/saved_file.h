// SPDX-License-Identifier: GPL-3.0-or-later
// What is kept under a name in the user's data folder: readable JSON documents, a file each.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "base/result.h"
#include "document/files/json_fields.h"

namespace tsukimi {

struct SavedKind {
  const char* format;  // "tsukimi look"
  const char* what;    // "saved look", for sentences
  int schema;          // the newest that can be read
};

// Fails when the file is none of the kind, is of a newer schema, or when `read` throws FieldError.
Result<void> read_saved(const std::filesystem::path& file, const SavedKind& kind,
                        const std::function<void(const Fields&)>& read);
// Replaces only a document of the same kind.
Result<void> write_saved(const std::filesystem::path& file, const SavedKind& kind,
                         nlohmann::json fields);
// A file of the folder that is not there yet, named after what is kept.
std::filesystem::path free_saved_file(const std::filesystem::path& folder, const std::string& name);
// All .json files of the folder, by name.
std::vector<std::filesystem::path> saved_files(const std::filesystem::path& folder);

}  // namespace tsukimi
