// SPDX-License-Identifier: GPL-3.0-or-later
// What a film's file says of itself, without decoding its pictures.
#pragma once

#include <filesystem>

#include "base/result.h"
#include "image/image.h"

namespace tsukimi {

struct ProbedFilm {
  Size size;
  int frames = 0;      // counted
  double seconds = 0;  // from the first frame's beginning to the last one's end
};

Result<ProbedFilm> probe_film(const std::filesystem::path& file);

}  // namespace tsukimi
