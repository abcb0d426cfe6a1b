// SPDX-License-Identifier: GPL-3.0-or-later
// Settings of exports in documents. What older files do not have is at its default.
#pragma once

#include "document/exports/film_settings.h"
#include "document/files/json_fields.h"

namespace tsukimi {

nlohmann::json to_json(Size size);
// "size" (and, where it is there, "long_edge") of an object. Throws FieldError.
PixelSize read_pixel_size(const Fields& fields);

nlohmann::json to_json(const ExportSettings& settings);
ExportSettings read_export_settings(const Fields& fields);

nlohmann::json to_json(const FilmSettings& film);
FilmSettings read_film_settings(const Fields& fields);  // throws FieldError

}  // namespace tsukimi
