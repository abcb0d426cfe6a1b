// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/playhead.h"

#include <algorithm>

namespace tsukimi::app {

Playhead::Playhead(Document& document) : document_(document) {
  // Another pace has other frames: one of the film's that is another one now is left for the frame
  // of the sequence, which is what is said.
  connect(&document_, &Document::changed, this, [this] {
    const FilmFrames& film = document_.courses().film;
    if (film_ >= film.count() || (film_ >= 0 && film[film_].frame != frame_)) film_ = -1;
  });
  connect(&document_, &Document::opened, this, [this] {
    selection_.clear();
    film_ = -1;
    if (std::exchange(shoot_serial_, document_.shoot_serial()) != document_.shoot_serial()) {
      const auto& frames = document_.shoot().sequence.frames;
      const auto first =
          std::find_if(frames.begin(), frames.end(), [](const auto& f) { return f.usable(); });
      frame_ = first == frames.end() ? 0 : static_cast<int>(first - frames.begin());
    }
    // Shots that have become one moment are fewer frames.
    frame_ = std::clamp(frame_, 0, document_.shoot().frame_count() - 1);
  });
}

void Playhead::set_moment(Moment moment) {
  if (!document_.is_open()) return;
  moment.frame = std::clamp(moment.frame, 0, document_.shoot().frame_count() - 1);
  if (moment == this->moment()) return;
  frame_ = moment.frame, film_ = moment.film;
  emit frame_changed();
}

void Playhead::set_playing(bool on) {
  if (std::exchange(playing_, on) != on) emit playing_changed();
}

std::vector<int> Playhead::chosen() const {
  return selection_.empty() ? std::vector<int>{frame_} : selection_;
}

void Playhead::select(std::vector<int> frames) {
  std::sort(frames.begin(), frames.end());
  if (frames == selection_) return;
  selection_ = std::move(frames);
  emit selection_changed();
}

}  // namespace tsukimi::app
