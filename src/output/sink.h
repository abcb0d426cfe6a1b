// SPDX-License-Identifier: GPL-3.0-or-later
// Where developed frames go: numbered files, and whatever else is made of a film in one pass.
#pragma once

#include "base/text.h"
#include "film/film.h"

namespace tsukimi {

struct MadeFrame {
  int number;  // of the frame in the film, from 1
  const FilmRecipe& recipe;
  const Image& picture;        // linear Rec. 2020; gone when the sink has been asked
  const std::string& sources;  // checksums of the files it was made of, with blanks between
};

// Frames come in the order of the film, one at a time, from a thread of the pass.
class Sink {
 public:
  virtual ~Sink() = default;
  // A frame that is there already, made from the same: it need not be developed for this sink.
  // Asked before the pass begins.
  virtual bool has(int number) const = 0;
  // Takes what it needs of the picture and gives back the rest of its work, which is done while the
  // next frames are developed. The recipe and the sources stay until then.
  struct Rest {
    std::function<void()> beside = {};    // at once with that of other frames
    std::function<void()> in_order = {};  // after it, one frame after the other
  };
  [[nodiscard]] virtual Rest put(const MadeFrame& frame) = 0;
  virtual void miss(int number, const Error& why) = 0;  // it could not be made
  // The target can take no more: going on would fail too. Asked from any thread.
  virtual bool broken() const = 0;
};

// `before`: what a manifest says of the same frame; empty where it says nothing.
inline bool are_other_bytes(const std::string& before, const std::string& now) {
  return !before.empty() && before.find('-') == before.npos && before != now;
}
// Why a frame is not made though its files have the size and the time that they had: their bytes
// are others than when it was made before.
inline Error other_content(const FilmRecipe& recipe) {
  return {printable(recipe.first().source.info.file) +
          " has other content than when this frame was made before, though its size and time are "
          "the same."};
}

}  // namespace tsukimi
