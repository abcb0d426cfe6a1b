// SPDX-License-Identifier: GPL-3.0-or-later
// Going through suspects and deciding about frames: set aside, keep, order.
//
// Lives in the window's thread.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"

namespace tsukimi::app {

class Checking {
 public:
  Checking(Document& document, Playhead& playhead, LightWork& light, Notices& notices)
      : document_(document), playhead_(playhead), light_(light), notices_(notices) {}

  // Neither set aside nor looked at and kept; events are kept unless somebody decides otherwise.
  bool is_open(const Suspect& s) const;
  int open_suspects() const;
  void go_to_suspect(int direction);  // the next open one, all round the sequence
  // Of the chosen frames.
  void toggle_set_aside();
  void keep();  // looked at, and good
  void set_order(FrameOrder order);

 private:
  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  Notices& notices_;
};

}  // namespace tsukimi::app
