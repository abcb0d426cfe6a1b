// SPDX-License-Identifier: GPL-3.0-or-later
// The pace as JSON, in the shoot's file (docs/formats.md).
#pragma once

#include "document/files/json_fields.h"
#include "document/shoot/pace.h"
#include "folder/sequence.h"

namespace tsukimi {

nlohmann::json to_json(const Pace& pace, const Sequence& sequence);
// Frames are named by their places among so many. Throws FieldError.
Pace read_pace(const Fields& fields, int frames);

}  // namespace tsukimi
