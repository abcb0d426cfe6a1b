// SPDX-License-Identifier: GPL-3.0-or-later
// Playing the film live: every frame at its moment. One that could not be made in time is skipped,
// never shown late; what was made is kept, so that the next time round it is all there.
#pragma once

#include <QElapsedTimer>
#include <QTimer>

#include "app/picture/preview.h"

namespace tsukimi::app {

class Player : public QObject {
  Q_OBJECT
 public:
  Player(Session& session, Preview& preview);

  enum class Round { loop, to_and_fro, once };
  Round round() const { return round_; }
  void set_round(Round round);
  void toggle();
  bool playing() const { return timer_.isActive(); }
  double measured_fps() const { return measured_; }  // shown in the last second; 0: not known yet

 signals:
  void changed();  // playing or not, the round, the rate that is reached

 private:
  // Frames of the film that can be shown, and where in it a step is.
  void list_frames();
  std::optional<Moment> moment_at(qint64 step) const;  // nothing: it is over
  // The moment's picture, or both of them where two stand beside each other; is_ready asks for what
  // is not.
  bool is_there(const Moment& moment) const;
  bool is_ready(const Moment& moment) const;
  void tick();
  void ask_ahead(qint64 step);
  void measure_pace();
  double fps() const { return session_.document.decisions().fps; }

  Session& session_;
  Preview& preview_;
  Round round_ = Round::loop;
  std::vector<Moment> film_;
  int first_ = 0;  // where in it playing began
  QTimer timer_;
  QElapsedTimer clock_, shown_since_, made_since_;
  qint64 step_ = -1;   // that was looked at last
  bool seen_ = false;  // its frame was shown
  QElapsedTimer shown_last_;
  int shown_ = 0, made_ = 0;
  bool idle_ = false;  // for a moment since made_since_ there was nothing to be made
  double pace_ = 30;   // pictures that can be made in a second
  double measured_ = 0;
  quint64 version_ = 0;
};

}  // namespace tsukimi::app
