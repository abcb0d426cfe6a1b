// SPDX-License-Identifier: GPL-3.0-or-later
// Which frame is looked at, and which are chosen. Both are frames of the shoot, in their order.
// Document::opened says that all is new, the playhead too.
//
// Lives in the window's thread.
#pragma once

#include "app/state/document.h"

namespace tsukimi::app {

// What is looked at: a frame of the sequence; or, while the film plays, one of its frames (from 0),
// which may lie between two of the sequence. -1: the film as it is where that frame stands.
struct Moment {
  int frame = 0, film = -1;
  Moment(int of, int film_frame = -1) : frame(of), film(film_frame) {}
  auto operator<=>(const Moment&) const = default;
};

class Playhead : public QObject {
  Q_OBJECT
 public:
  explicit Playhead(Document& document);

  int frame() const { return frame_; }
  void set_frame(int frame) { set_moment(frame); }
  Moment moment() const { return {frame_, film_}; }
  void set_moment(Moment moment);
  bool playing() const { return playing_; }  // it moves by itself
  void set_playing(bool on);

  // What commands work on: frames selected in the timeline or the contact sheet, else the one that
  // is looked at.
  std::vector<int> chosen() const;
  const std::vector<int>& selection() const { return selection_; }
  void select(std::vector<int> frames);

 signals:
  void frame_changed();
  void playing_changed();
  void selection_changed();

 private:
  Document& document_;
  int frame_ = 0, film_ = -1;
  bool playing_ = false;
  std::vector<int> selection_;
  quint64 shoot_serial_ = 0;
};

}  // namespace tsukimi::app
