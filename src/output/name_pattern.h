// SPDX-License-Identifier: GPL-3.0-or-later
// File names of numbered frames: "harbour_#####" and 42 give "harbour_00042".
#pragma once

#include <string>

#include "base/result.h"
#include "document/shoot/shoot.h"

namespace tsukimi {

// What stands for {shoot} (the name of its folder), {date} (2031-10-04) and {time} (184220; both of
// the film's first frame, so that all names begin alike and numbers put them in order). A word in
// braces that is none of them stays as it is.
std::string expanded_pattern(const std::string& pattern, const Shoot& shoot);

// Fails, with a sentence for the user, when the pattern has no '#', more than one run of '#', a
// word in braces that is not known, a directory separator, too few digits for numbers up to `last`,
// or is longer than a file's name may be.
Result<void> check_pattern(const std::string& pattern, int last);

// Where frames go: the chosen folder, or, while none is chosen, a new one of their own beside the
// folder of the shoot: harbour-frames for harbour.
std::string export_folder(const Shoot& shoot, const ExportSettings& frames);
// Likewise for a film, with its container's extension: harbour-film.mp4 beside harbour.
std::string film_file(const Shoot& shoot, const FilmSettings& film);

std::string numbered_name(const std::string& pattern, int number);

}  // namespace tsukimi
