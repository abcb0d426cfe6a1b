// SPDX-License-Identifier: GPL-3.0-or-later
// How shots become frames, in shoot files.
#pragma once

#include "document/files/json_fields.h"
#include "folder/moments.h"

namespace tsukimi {

nlohmann::json to_json(const Bracketing& brackets);
Bracketing read_brackets(const Fields& f);  // throws FieldError

}  // namespace tsukimi
