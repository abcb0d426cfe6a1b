// SPDX-License-Identifier: GPL-3.0-or-later
// Tones over time: how every frame's tones are spread as it is developed. Follows what is decided
// while somebody looks (set_on), coarse first, in threads that stand back behind all others.
//
// Lives in the window's thread.
#pragma once

#include <QThreadPool>

#include "app/state/light_work.h"
#include "film/tones.h"

namespace tsukimi::app {

class TonesOverTime : public QObject {
  Q_OBJECT
 public:
  TonesOverTime(Document& document, LightWork& light);
  ~TonesOverTime() override;

  bool on() const { return on_; }
  void set_on(bool on);
  // Of a frame, or of the nearest one that is there; nullptr: none is yet.
  const ToneColumn* at(int frame) const;
  // All columns are of what is decided now.
  bool up_to_date() const { return on_ && !running_ && !again_ && fresh_; }

 signals:
  void changed();

 private:
  struct Column {
    FilmRecipe recipe;  // what it was made by
    ToneColumn tones;
  };
  struct Pass;
  void follow();
  void start();
  void take();  // what a pass has made meanwhile
  void ended();

  Document& document_;
  LightWork& light_;
  bool on_ = false, again_ = false, fresh_ = false;
  std::vector<std::shared_ptr<const Column>> columns_;  // by frame
  std::vector<int> nearest_;                            // the frame whose column stands there, -1
  std::shared_ptr<Pass> running_;
  quint64 order_ = 0;
  QTimer poll_;
  QThreadPool pool_;
};

}  // namespace tsukimi::app
