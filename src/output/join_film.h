// Segments become a film's file without being encoded again.
#pragma once

#include <filesystem>
#include <functional>

#include "output/film_segment.h"

namespace tsukimi {

struct FilmFacts {
  Size size;
  double time = 0;  // of the first capture, s since 1970; 0: unknown
  std::string title, copyright;
};

// Writes to `file` (which may be a temporary one; the settings' own says the container), taking one
// segment after the other from `segment`. The same segments give the same bytes.
Result<void> join_film(const std::filesystem::path& file, const FilmSettings& settings,
                       const FilmFacts& facts, int segments,
                       const std::function<Result<Segment>(int)>& segment);

}  // namespace tsukimi
