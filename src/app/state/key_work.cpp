#include "app/state/key_work.h"

#include "document/framing/framing_edit.h"
#include "document/place_keys.h"
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
Thing KeyWork::hand() const {
  return tsukimi::has(document_.decisions(), thing_) ? thing_ : Thing{};
}

bool KeyWork::of_place() const {
  return thing_.kind == kPlace && document_.is_open() &&
         tsukimi::has(document_.decisions(), thing_);
}

void KeyWork::set_thing(const Thing& thing) {
  if (std::exchange(thing_, thing) != thing) emit thing_changed();
}

std::vector<int> KeyWork::frames() const {
  if (!document_.is_open()) return {};
  return of_place() ? key_places_of_place(document_.shoot(), thing_.number)
                    : key_places(document_.shoot(), hand());
}

bool KeyWork::has(int frame) const {
  if (!document_.is_open()) return false;
  return of_place() ? std::ranges::binary_search(frames(), frame)
                    : has_key(document_.shoot(), frame, hand());
}

Easing KeyWork::easing(int frame) const {
  return of_place() ? place_easing(document_.shoot(), thing_.number, frame)
                    : easing_at(document_.shoot(), frame, hand());
}

void KeyWork::go(int direction) {
  const int frame = playhead_.frame();
  int target = -1;
  for (int key : frames()) {
    if (direction > 0 && key > frame && target < 0) target = key;
    if (direction < 0 && key < frame) target = key;
  }
  if (target >= 0) playhead_.set_frame(target);
}

void KeyWork::toggle() {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  if (!has(frame))
    return document_.edit(tr("Make key frame"), [&](Shoot& s) {
      of_place() ? add_place_key(s, thing_.number, frame) : add_key(s, frame, hand());
    });
  if (of_place() && frames().size() == 1) {
    emit notices_.message(tr("A place keeps its last key frame; it holds over all frames."));
    return;
  }
  if (thing_.kind == kGlide && frames().size() == 1)
    return document_.edit(tr("Remove key frame"), [&](Shoot& s) { end_glide(s, frame); });
  document_.edit(tr("Remove key frame"), [&](Shoot& s) {
    of_place() ? remove_place_key(s, thing_.number, frame) : remove_key(s, frame, hand());
  });
}

bool KeyWork::move(int from, int to, const QString& gesture) {
  if (!document_.is_open() || from == to || !has(from) || to < 0 ||
      to >= document_.shoot().frame_count() || has(to))
    return false;
  document_.edit(
      tr("Move key frame"),
      [&](Shoot& s) {
        of_place() ? move_place_key(s, thing_.number, from, to) : move_key(s, from, to, hand());
      },
      gesture);
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
  document_.edit(tr("Set easing"), [&](Shoot& s) {
    of_place() ? set_place_easing(s, thing_.number, frame, easing)
               : tsukimi::set_easing(s, frame, easing, hand());
  });
}

void KeyWork::next_easing() {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  if (!has(frame)) {
    emit notices_.message(tr("There is no key frame here: easing is how values pass one."));
    return;
  }
  constexpr int kKinds = 4;
  set_easing(Easing((static_cast<int>(this->easing(frame)) + 1) % kKinds));
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
