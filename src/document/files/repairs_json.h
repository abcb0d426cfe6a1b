// SPDX-License-Identifier: GPL-3.0-or-later
// Repairs as JSON: in the shoot's file, and by themselves (docs/formats.md).
#pragma once

#include <filesystem>

#include "base/result.h"
#include "document/files/json_fields.h"
#include "folder/sequence.h"
#include "repairs/repair.h"

namespace tsukimi {

nlohmann::json to_json(const Repair& repair, const Sequence& sequence);
// Frames are named by their places among so many; they become their ids. What a repair is taken
// from, and how deep dust is, may be left out: then it is found (find_repairs/find_repairs.h).
// Throws FieldError.
std::vector<Repair> read_repairs(const Fields& fields, int frames);
// Whether something of it is still to be found.
bool is_incomplete(const Repair& repair);

// A file of its own: {"repairs": [...]}.
Result<std::vector<Repair>> read_repairs_file(const std::filesystem::path& file, int frames);

}  // namespace tsukimi
