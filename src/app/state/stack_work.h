// SPDX-License-Identifier: GPL-3.0-or-later
// What a frame of the film is made from: the shots of each moment, and how they are put together.
//
// Lives in the window's thread.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"

namespace tsukimi::app {

class StackWork {
 public:
  StackWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks)
      : document_(document), playhead_(playhead), light_(light), tasks_(tasks) {}

  bool has_brackets() const;
  const Bracketing& brackets() const;  // of what is open
  // Counted anew when the frames or their order have changed.
  const MomentReport& report() const;

  void set_size(int shots);  // of a moment; 1: each is a frame
  void set_pause(double seconds);
  void set_exposure(int shot);  // 0: merged
  // The shots of a moment are laid onto each other, once it is measured how they lie.
  void set_aligned(bool on);
  bool aligning() const { return is_running(aligning_); }
  // A shot of the frame at the playhead to the moment before (-1) or after (1).
  void move_shot(const std::string& file, int by);

 private:
  void regroup(const QString& text, const Bracketing& how);

  void align();
  void align_again();

  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  TaskList& tasks_;
  TaskPtr aligning_;
  mutable MomentReport report_;
  mutable quint64 reported_ = 0;  // the order of frames that it is of
  mutable std::size_t frames_ = 0;
};

}  // namespace tsukimi::app
