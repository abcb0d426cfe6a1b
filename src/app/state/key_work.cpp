// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/key_work.h"

#include "document/framing/framing_edit.h"
#include "document/key_frames.h"
#include "document/values.h"

namespace tsukimi::app {

KeyWork::KeyWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
                 Notices& notices)
    : document_(document), playhead_(playhead), light_(light), tasks_(tasks), notices_(notices) {
  connect(&document_, &Document::opened, this, &KeyWork::withdraw);
  connect(&document_, &Document::changed, this, &KeyWork::propose_again);
  connect(&light_, &LightWork::changed, this, &KeyWork::propose_again);
}

// Undo may have taken it away.
KeyTarget KeyWork::in_hand() const {
  return tsukimi::has(document_.decisions(), target_) ? target_ : KeyTarget{};
}

void KeyWork::set_target(const KeyTarget& target) {
  if (std::exchange(target_, target) != target) emit target_changed();
}

std::vector<int> KeyWork::frames() const {
  if (!document_.is_open()) return {};
  return key_frames(document_.shoot(), in_hand());
}

bool KeyWork::has(int frame) const {
  return document_.is_open() && has_key_frame(document_.shoot(), frame, in_hand());
}

Easing KeyWork::easing(int frame) const {
  return key_frame_easing(document_.shoot(), frame, in_hand());
}

void KeyWork::go(int direction) {
  const int frame = playhead_.frame();
  int found = -1;
  for (int key : frames()) {
    if (direction > 0 && key > frame && found < 0) found = key;
    if (direction < 0 && key < frame) found = key;
  }
  if (found >= 0) playhead_.set_frame(found);
}

void KeyWork::toggle() {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  const KeyTarget target = in_hand();
  if (!has(frame))
    return document_.edit(tr("Make key frame"),
                          [&](Shoot& s) { make_key_frame(s, frame, target); });
  const bool last = frames().size() == 1;
  if (last && target.kind == kPlace) {
    emit notices_.message(tr("A place keeps its last key frame; it holds over all frames."));
    return;
  }
  document_.edit(tr("Remove key frame"), [&](Shoot& s) {
    (target.kind == kGlide && last) ? end_glide(s, frame) : remove_key_frame(s, frame, target);
  });
}

bool KeyWork::move(int from, int to, const QString& gesture) {
  if (!document_.is_open() || from == to || !has(from) || to < 0 ||
      to >= document_.shoot().frame_count() || has(to))
    return false;
  document_.edit(
      tr("Move key frame"), [&](Shoot& s) { move_key_frame(s, from, to, in_hand()); }, gesture);
  return true;
}

void KeyWork::nudge(int by) {
  if (!document_.is_open()) return;
  const int from = playhead_.frame(), to = from + by;
  if (to < 0 || to >= document_.shoot().frame_count()) return;
  if (move(from, to, {})) playhead_.set_frame(to);
}

void KeyWork::set_easing(Easing easing) {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  document_.edit(tr("Set easing"),
                 [&](Shoot& s) { set_key_frame_easing(s, frame, easing, in_hand()); });
}

void KeyWork::next_easing() {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  if (!has(frame)) {
    emit notices_.message(tr("There is no key frame here: easing is how values pass one."));
    return;
  }
  set_easing(Easing((static_cast<int>(this->easing(frame)) + 1) % count_of<Easing>()));
}

void KeyWork::propose(int most) {
  if (!document_.is_open()) return;
  most_ = std::clamp(most, kFewest, kMost);
  propose_again();
}

void KeyWork::withdraw() {
  most_ = 0;
  lamps_.reset();
  proposed_.clear();
  emit proposal_changed();
}

void KeyWork::propose_again() {
  if (!proposing()) return;
  if (!light_.known()) {
    proposed_.clear();
    emit proposal_changed();
    return;
  }
  if (lamps_of_ != light_.version()) lamps_.reset();
  if (!lamps_) return look_for_lamps();
  proposed_ = propose_keys(document_.shoot(), light_.plan(), *lamps_, most_);
  emit proposal_changed();
}

void KeyWork::look_for_lamps() {
  if (is_running(looking_) || !light_.measured()) return;
  looking_ = tasks_.start(tr("Looking for lamps"),
                          [this, copy = document_.shoot(), measured = light_.measured(),
                           version = light_.version()](const Work&) -> TaskList::Finish {
                            return [this, version, lamps = lamps_course(copy, measured->grids)] {
                              lamps_ = lamps;
                              lamps_of_ = version;
                              propose_again();
                            };
                          });
}

void KeyWork::accept(const std::vector<int>& frames) {
  most_ = 0;  // what they change proposes nothing new
  document_.edit(tr("Propose key frames"), [&](Shoot& s) {
    for (int frame : frames) add_key(s, frame);
  });
  withdraw();
}

}  // namespace tsukimi::app
