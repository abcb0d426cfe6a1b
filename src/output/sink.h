// Where developed frames go: numbered files, and whatever else is made of a film in one pass.
#pragma once

#include "film/film.h"

namespace tsukimi {

// Frames come in the order of the film, one at a time, from a thread of the pass.
class Sink {
 public:
  virtual ~Sink() = default;
  // A frame that is there already, made from the same: it need not be developed for this sink.
  // Asked before the pass begins.
  virtual bool has(int number) const = 0;
  // Takes what it needs of the picture (linear Rec. 2020), which is gone afterwards, and gives back
  // the rest of its work: that is done, in order too, while the next frame is developed.
  // number: of the frame in the film, from 1.
  using Rest = std::function<void()>;
  [[nodiscard]] virtual Rest put(int number, const FilmRecipe& recipe, const Image& picture) = 0;
  virtual void miss(int number, const Error& why) = 0;  // it could not be made
  // The target can take no more: going on would fail too. Asked from any thread.
  virtual bool broken() const = 0;
};

}  // namespace tsukimi
