#include "app/state/playhead.h"

#include <algorithm>

namespace tsukimi::app {

Playhead::Playhead(Document& document) : document_(document) {
  connect(&document_, &Document::opened, this, [this] {
    selection_.clear();
    if (std::exchange(shoot_serial_, document_.shoot_serial()) != document_.shoot_serial()) {
      const auto& frames = document_.shoot().sequence.frames;
      const auto first =
          std::find_if(frames.begin(), frames.end(), [](const auto& f) { return f.usable(); });
      frame_ = first == frames.end() ? 0 : static_cast<int>(first - frames.begin());
    }
  });
}

void Playhead::set_frame(int frame) {
  if (!document_.is_open()) return;
  frame = std::clamp(frame, 0, document_.shoot().frame_count() - 1);
  if (frame == frame_) return;
  frame_ = frame;
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
