// SPDX-License-Identifier: GPL-3.0-or-later
// Room for what is to be exported, on the disk and in memory.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

#include "base/result.h"
#include "document/exports/film_settings.h"

namespace tsukimi {

// Bytes of one file: of plain TIFF nearly to the byte, of others what such pictures usually come
// to.
double estimated_bytes(const ExportSettings& how, Size size);

// Bytes that this user may still write there, or in the nearest folder above that is there; nothing
// where the system does not say.
std::optional<double> free_space(const std::filesystem::path& folder);

// Bytes of a film without its sound, as such films usually come out; exact where a rate is given.
double estimated_film_bytes(const FilmSettings& how, Rate rate, Size size, int frames);

// Fails, with both numbers, when `frames` of them cannot fit: where sizes are guesses, not even at
// half of the guess.
Result<void> check_space(const std::filesystem::path& folder, const ExportSettings& how, Size size,
                         int frames);

// The same for a film, whose segments lie beside it until it is joined of them.
Result<void> check_film_space(const std::filesystem::path& folder, const FilmSettings& how,
                              Rate rate, Size size, int frames);

// A sentence that says so when a film and its segments may not fit, as far as can be guessed; else
// empty.
std::string room_note(const std::filesystem::path& folder, const FilmSettings& how, Rate rate,
                      Size size, int frames);

// Fails when the float picture of that size and what is made of it (bytes a pixel) cannot be held.
Result<void> check_memory(Size size, double bytes);

}  // namespace tsukimi
