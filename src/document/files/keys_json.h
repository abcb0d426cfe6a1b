// SPDX-License-Identifier: GPL-3.0-or-later
// Key frames as JSON, whatever they are of.
#pragma once

#include <filesystem>
#include <functional>

#include "adjust/keyed_values.h"
#include "base/result.h"
#include "document/files/json_fields.h"
#include "folder/sequence.h"

namespace tsukimi {

Easing read_easing(const Fields& key);  // smooth where none is said; throws FieldError

// What is not said is as in `values`; what is no row of its kind throws FieldError.
Values read_values(const Fields& fields, Values values);

// Every element of the list with the id of the frame that it names, from 0 to before `frames`.
// Throws FieldError for a frame that is not there, or is named twice.
void each_key(const Fields& fields, const char* list, int frames,
              const std::function<void(const Fields&, FrameId)>& take);

// Key frames whose values stand beside the frame that they are at: {"frame": 3, "speed": 2}.
nlohmann::json rows_json(const KeyedValues& keyed, const Sequence& sequence);
// Throws FieldError where a row of the kind is missing or another is there.
void read_rows(const Fields& fields, const char* list, int frames, KeyedValues& into);

// A file that is one object. What `read` throws becomes a sentence with the file's name.
Result<void> read_json_file(const std::filesystem::path& file,
                            const std::function<void(const Fields&)>& read);

}  // namespace tsukimi
