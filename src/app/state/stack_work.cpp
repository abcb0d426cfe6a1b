// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/stack_work.h"

#include "film/align_brackets.h"

namespace tsukimi::app {

const Bracketing& StackWork::brackets() const { return document_.decisions().brackets; }

bool StackWork::has_brackets() const { return document_.is_open() && brackets().set_size > 1; }

const MomentReport& StackWork::report() const {
  const auto& frames = document_.shoot().sequence.frames;
  if (reported_ != document_.order_serial() || frames_ != frames.size()) {
    report_ = report_moments(frames, document_.shoot().sequence.brackets);
    reported_ = document_.order_serial();
    frames_ = frames.size();
  }
  return report_;
}

void StackWork::regroup(const QString& text, const Bracketing& how) {
  if (!document_.is_open() || how == brackets()) return;
  const FrameId here = document_.shoot().sequence.id_of(playhead_.frame());
  document_.edit(text, [&](Shoot& s) {
    // Of a copy: the frames follow what is decided.
    Shoot then = s;
    group_shoot(then, how);
    s.decisions = then.decisions;
  });
  playhead_.set_frame(std::max(0, document_.shoot().sequence.place_of(here)));
}

void StackWork::set_size(int shots) {
  // As it is found, if that is what is wanted; else by exposures or by number.
  Bracketing how = find_brackets(shots_of(document_.shoot().sequence.frames));
  if (how.set_size != shots) how = {.set_size = shots};
  if (shots <= 1) how = {};
  regroup(QObject::tr("Shots of a moment"), how);
}

void StackWork::set_pause(double seconds) {
  Bracketing how = brackets();
  how.pause = seconds;
  regroup(QObject::tr("Pause that parts moments"), how);
  align_again();
}

void StackWork::set_exposure(int shot) {
  Bracketing how = brackets();
  how.exposure = shot;
  regroup(shot == 0 ? QObject::tr("Merge the shots") : QObject::tr("One shot of each moment"), how);
}

void StackWork::move_shot(const std::string& file, int by) {
  Bracketing how = brackets();
  // Back from where it was moved to is not moved at all.
  const auto moved = std::ranges::find(how.moved, file, &MovedShot::file);
  if (moved == how.moved.end())
    how.moved.push_back({file, by});
  else if (moved->by != by)
    how.moved.erase(moved);
  else
    return;  // farther than to the next is no part of that moment
  regroup(QObject::tr("Move a shot"), how);
  align_again();
}

void StackWork::set_aligned(bool on) {
  if (!has_brackets() || on == brackets().aligned) return;
  if (on) return align();
  Bracketing how = brackets();
  how.aligned = false;
  how.offsets.clear();
  regroup(QObject::tr("Shots as they lie"), how);
}

// Of moments that are others now.
void StackWork::align_again() {
  if (brackets().aligned) align();
}

void StackWork::align() {
  if (aligning()) aligning_->cancelled = true;
  aligning_ =
      tasks_.start(QObject::tr("Laying shots onto each other"),
                   [this, sequence = document_.shoot().sequence, store = light_.store(),
                    serial = document_.order_serial()](const Work& work) -> TaskList::Finish {
                     auto offsets = align_brackets(sequence, *store, work);
                     if (work.stop()) return [] {};
                     return [this, offsets = std::move(offsets), serial] {
                       if (serial != document_.order_serial()) return;
                       Bracketing how = brackets();
                       how.aligned = true;
                       how.offsets = offsets;
                       regroup(QObject::tr("Lay the shots onto each other"), how);
                     };
                   });
}

}  // namespace tsukimi::app
