// Checking frames: suspects, what is set aside, the order, a camera that is still shooting.
#include <algorithm>

#include "app/session.h"

namespace tsukimi::app {

const Suspect* Session::suspect_at(int frame) const {
  for (const auto& s : suspects_)
    if (s.frame == frame) return &s;
  return nullptr;
}

bool Session::is_open_suspect(const Suspect& s) const {
  const auto& d = decisions();
  return !is_set_aside(d, s.frame) &&
         !std::binary_search(d.looked_at.begin(), d.looked_at.end(), s.frame);
}

int Session::open_suspects() const {
  return static_cast<int>(std::count_if(suspects_.begin(), suspects_.end(),
                                        [this](const Suspect& s) { return is_open_suspect(s); }));
}

// The next one that nobody has decided about, all round the sequence.
void Session::go_to_suspect(int direction) {
  if (!is_open()) return;
  const int n = shoot_->frame_count();
  int best = -1, nearest = n + 1;
  for (const auto& s : suspects_) {
    if (!is_open_suspect(s)) continue;
    int away = (s.frame - frame_) * direction;
    if (away <= 0) away += n;
    if (away < nearest) nearest = away, best = s.frame;
  }
  if (best >= 0)
    set_frame(best);
  else
    emit message(measuring() ? "The frames are still being looked at."
                             : "No suspects are left to look at.");
}

std::vector<int> Session::chosen() const {
  return selection_.empty() ? std::vector<int>{frame_} : selection_;
}

void Session::select(std::vector<int> frames) {
  std::sort(frames.begin(), frames.end());
  if (frames == selection_) return;
  selection_ = std::move(frames);
  emit selection_changed();
}

static QString frames_text(std::size_t n, int only) {
  return n == 1 ? QString("Frame %1").arg(only + 1) : QString("%1 frames").arg(n);
}

void Session::toggle_set_aside() {
  if (!is_open()) return;
  const auto frames = chosen();
  // Of a mixed choice all are set aside; only when all are aside already do they come back.
  const bool aside = std::any_of(frames.begin(), frames.end(),
                                 [this](int f) { return !is_set_aside(decisions(), f); });
  edit(aside ? "Set aside" : "Bring back",
       [&](Shoot& s) { set_aside(s.decisions, frames, aside); });
  emit message(frames_text(frames.size(), frames.front()) +
               (frames.size() == 1 ? " is " : " are ") +
               (aside ? "set aside." : "back in the film."));
}

void Session::keep_chosen() {
  if (!is_open()) return;
  const auto frames = chosen();
  edit("Keep", [&](Shoot& s) {
    set_aside(s.decisions, frames, false);
    auto& seen = s.decisions.looked_at;
    for (int f : frames)
      if (const auto at = std::lower_bound(seen.begin(), seen.end(), f);
          suspect_at(f) && (at == seen.end() || *at != f))
        seen.insert(at, f);
  });
}

void Session::set_order(FrameOrder order) {
  if (!is_open() || order == decisions().order) return;
  Shoot sorted = *shoot_;
  sort_shoot(sorted, order);
  edit("Order of frames", [&](Shoot& s) { s.decisions = sorted.decisions; });
}

void Session::watch(bool on) {
  if (!on || !is_open()) {
    watch_timer_.stop();
    watch_.reset();
    return;
  }
  watch_ = std::make_shared<FolderWatch>(FolderWatch::of(shoot_->sequence));
  watch_timer_.start(700);
}

void Session::look_for_frames() {
  if (is_running(looking_) || !watch_) return;
  looking_ = tasks_.start(
      "Watching",
      [this, watch = watch_, generation = generation_](const Work&) -> TaskList::Finish {
        auto found = std::make_shared<std::vector<FrameInfo>>(watch->look());
        return [this, found, watch, generation] {
          if (found->empty() || generation != generation_ || watch != watch_) return;
          const bool at_end = frame_ == shoot_->frame_count() - 1;
          const auto count = found->size();
          append_frames(*shoot_, std::move(*found));
          course_ = std::make_unique<LookCourse>(*shoot_);
          ++version_;
          autosave_.start();
          emit frames_added();
          emit changed();
          if (at_end) set_frame(shoot_->frame_count() - 1);
          emit message(QString("%1 new %2 joined the shoot.")
                           .arg(count)
                           .arg(count == 1 ? "frame" : "frames"));
          if (measured_) measure();  // else it goes on with them by itself
        };
      },
      false);
}

}  // namespace tsukimi::app
