// SPDX-License-Identifier: GPL-3.0-or-later
// Levelling and deflicker as JSON.
#pragma once

#include "document/files/json_fields.h"
#include "document/shoot/shoot.h"

namespace tsukimi {

nlohmann::json to_json(const LevelSettings& level, const Sequence& sequence);
nlohmann::json to_json(const DeflickerSettings& deflicker, const Sequence& sequence);

// Frames are their places in the file's list, from 0 to before `frames`. Throw FieldError.
LevelSettings read_level(const Fields& fields, int frames);
DeflickerSettings read_deflicker(const Fields& fields, int frames);

}  // namespace tsukimi
