// SPDX-License-Identifier: GPL-3.0-or-later
// What happens to the frames' folder while a shoot is open: a camera adds frames, files that were
// away come back; hot pixels, and how the camera moved, are looked for in its frames once they are
// wanted.
//
// Lives in the window's thread; looks in the background, on copies.
#pragma once

#include "app/state/light_work.h"
#include "folder/watch.h"

namespace tsukimi::app {

class FolderWork : public QObject {
  Q_OBJECT
 public:
  FolderWork(Document& document, LightWork& light, TaskList& tasks, Notices& notices);

  void watch(bool on);  // new frames in the folder join
  bool watching() const { return watch_timer_.isActive(); }

 signals:
  void frames_joined(int before);  // how many there were

 private:
  void look_for_frames();
  void look_for_frames_that_were_away();
  void look_for_hot_pixels();
  void look_for_motion();

  Document& document_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  std::shared_ptr<FolderWatch> watch_;
  QTimer watch_timer_, away_timer_;  // the second runs while frames are away
  TaskPtr looking_, seeking_, searching_, moving_;
  quint64 shoot_serial_ = 0;
};

}  // namespace tsukimi::app
