// SPDX-License-Identifier: GPL-3.0-or-later
// Places as JSON: in the shoot's file, and by themselves (docs/formats.md).
#pragma once

#include <filesystem>

#include "document/files/json_fields.h"
#include "folder/sequence.h"
#include "places/place.h"

namespace tsukimi {

// place_of: what a file calls a frame.
using PlaceOf = std::function<int(FrameId)>;
nlohmann::json to_json(const LocalPlace& place, const PlaceOf& place_of);
nlohmann::json to_json(const LocalPlace& place, const Sequence& sequence);
// Key frames name frames by their places among so many; they become their ids. Throws FieldError.
std::vector<LocalPlace> read_places(const Fields& fields, int frames);

// A file of its own: {"places": [...]}.
Result<std::vector<LocalPlace>> read_places_file(const std::filesystem::path& file, int frames);

}  // namespace tsukimi
