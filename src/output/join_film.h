// SPDX-License-Identifier: GPL-3.0-or-later
// Segments become a film's file without being encoded again.
#pragma once

#include <filesystem>
#include <functional>

#include "base/parallel.h"
#include "output/film_segment.h"
#include "output/sound_track.h"

namespace tsukimi {

struct FilmFacts {
  Size size;
  Rate rate;
  double time = 0;  // of the first capture, s since 1970; 0: unknown
  std::string title, copyright;
  std::string zone, artist;  // of that capture
};

// What a film is joined of: segments are asked for one after the other.
struct FilmParts {
  int segments = 0;
  std::function<Result<Segment>(int)> segment;
  const SoundTrack* sound = nullptr;
};

// Writes to `file`, which may be a temporary one. The same segments give the same bytes.
Result<void> join_film(const std::filesystem::path& file, const FilmSettings& settings,
                       const FilmFacts& facts, const FilmParts& parts, const Work& work = {});

}  // namespace tsukimi
