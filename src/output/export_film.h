// A film of a shoot, from its light to its file; frames can be made of the same pass.
#pragma once

#include "output/export_frames.h"
#include "output/film_file.h"

namespace tsukimi {

struct FilmOrder {
  FilmSettings film;
  ExportRange range;
  bool overwrite = false;
  std::optional<ExportSettings> also_frames;  // their size is the film's
};

struct FilmMade {
  FilmReport film;
  std::optional<ExportReport> frames;
  bool complete() const {
    return film.finished && film.problems.empty() && (!frames || frames->complete());
  }
};

// Each frame is developed once, whatever is made of it. The film's size is that of the shoot's
// export (output_size), its sides made even by leaving out a row or a column.
Result<FilmMade> export_film(Shoot& shoot, std::optional<LightPlan> light, const FilmOrder& order,
                             const Step& step);

}  // namespace tsukimi
