// SPDX-License-Identifier: GPL-3.0-or-later
// Key frames of the look, of the place that is worked on, or of the glide: making, moving, their
// easing, and proposals for where those of the look belong.
//
// Lives in the window's thread; what looks at every frame's light runs in the background.
#pragma once

#include "app/state/light_work.h"
#include "app/state/playhead.h"
#include "film/propose_keys.h"

namespace tsukimi::app {

class KeyWork : public QObject {
  Q_OBJECT
 public:
  KeyWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
          Notices& notices);

  // Whose key frames are in hand: the look's, a place's with its shapes, or the glide's.
  void set_target(const KeyTarget& target);
  const KeyTarget& target() const { return target_; }
  std::vector<int> frames() const;  // where they stand, ascending
  bool has(int frame) const;
  Easing easing(int frame) const;
  void go(int direction);  // the next key frame after (+1) or before (-1) the playhead

  void toggle();  // at the playhead
  // To another frame; false where one stands already. What one drag does is one step of undo.
  bool move(int from, int to, const QString& gesture);
  void nudge(int by);  // the one at the playhead, and the playhead with it
  // Of the key frame at the playhead; without one nothing happens.
  void set_easing(Easing easing);
  void next_easing();

  // Places for key frames, shown until they are accepted or withdrawn. With those that are there
  // already `most` at the utmost.
  static constexpr int kFewest = 2, kMost = 12;
  void propose(int most);
  void withdraw();
  void accept(const std::vector<int>& frames);             // of those proposed
  bool looking() const { return proposing() && !lamps_; }  // for what can be proposed
  bool proposing() const { return most_ > 0; }
  const std::vector<ProposedKey>& proposed() const { return proposed_; }

 signals:
  void proposal_changed();
  void target_changed();

 private:
  void propose_again();
  void look_for_lamps();
  KeyTarget in_hand() const;  // the target, or the look where that is gone

  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  KeyTarget target_;
  int most_ = 0;  // 0: nothing is proposed
  std::vector<ProposedKey> proposed_;
  std::optional<std::vector<double>> lamps_;
  quint64 lamps_of_ = 0;  // which plan of the light, they were looked for in
  TaskPtr looking_;
};

}  // namespace tsukimi::app
