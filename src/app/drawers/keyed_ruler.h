// SPDX-License-Identifier: GPL-3.0-or-later
// A ruler of one value that runs through key frames: it shows the value at the playhead and its
// run, and moves it through the document.
#pragma once

#include "app/state/session.h"
#include "app/widgets/ruler.h"

namespace tsukimi::app {

class KeyedRuler : public Ruler {
  Q_OBJECT
 public:
  // of: which place's (or shape's) value it is now; its parameter stays.
  // label: where there is no room for that of the table.
  KeyedRuler(Session& session, Param param, std::function<Setting()> of, const QString& label = {});
  Param param() const { return param_; }
  // What the values are now: their course, and the frames of their key frames with easing. `stale`:
  // whether the run has to be drawn anew.
  void show(const tsukimi::Course& course, const std::vector<std::pair<int, Easing>>& keys,
            bool stale) {
    show([&](int frame) { return course.at(param_, frame); }, keys, stale);
  }
  void show(const std::function<double(int frame)>& value,
            const std::vector<std::pair<int, Easing>>& keys, bool stale);

 private:
  Session& session_;
  const Param param_;
  std::function<Setting()> of_;
};

}  // namespace tsukimi::app
