// SPDX-License-Identifier: GPL-3.0-or-later
// A finished film is the store of its segments: what is unchanged is cut out of it again, without
// being encoded, for the film that takes its place.
#pragma once

#include <filesystem>
#include <functional>
#include <vector>

#include "output/film_segment.h"

namespace tsukimi {

struct FilmCut {
  int first = 0, count = 0;  // frames of the film, from 0
};

// Calls `take` with each cut that is there whole, as its encoder gave it (but for its sources,
// which no film tells). cuts: ascending, without overlap. Whatever cannot be read is not taken.
void cut_film(const std::filesystem::path& film, Codec codec, Rate rate,
              const std::vector<FilmCut>& cuts,
              const std::function<void(std::size_t cut, Segment segment)>& take);

}  // namespace tsukimi
