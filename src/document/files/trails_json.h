// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails as JSON, in the shoot's file (docs/formats.md).
#pragma once

#include "document/files/json_fields.h"
#include "document/shoot/trails.h"
#include "folder/sequence.h"

namespace tsukimi {

nlohmann::json to_json(const Trails& trails, const Sequence& sequence);
// Frames are named by their places among so many. Throws FieldError.
Trails read_trails(const Fields& fields, int frames);

}  // namespace tsukimi
