// SPDX-License-Identifier: GPL-3.0-or-later
// The framing as JSON, in the shoot's file (docs/formats.md).
#pragma once

#include "document/files/json_fields.h"
#include "document/shoot/shoot.h"

namespace tsukimi {

nlohmann::json to_json(const Rect& rect);
// Within the frame, and at least so large on both sides. Throws FieldError.
Rect read_rect(const Fields& fields, const char* key, double least);

nlohmann::json to_json(const Framing& framing, const Sequence& sequence);
// Frames are named by their places among so many. Throws FieldError.
Framing read_framing(const Fields& fields, int frames);

}  // namespace tsukimi
