// SPDX-License-Identifier: GPL-3.0-or-later
// Measuring every frame, planning the light, and suspects: what has to be worked out about a shoot
// before it can be levelled. Follows the document: what it decides anew is planned anew.
//
// Lives in the window's thread; measuring and planning run in the background on copies, and what
// comes back for another shoot or another order of its frames is dropped.
#pragma once

#include "app/state/document.h"
#include "film/light_plan.h"

namespace tsukimi::app {

class LightWork : public QObject {
  Q_OBJECT
 public:
  LightWork(Document& document, TaskList& tasks);

  const LightPlan& plan() const { return plan_; }
  bool known() const { return !plan_.as_shot.empty(); }
  bool planning() const { return is_running(planning_); }
  // The light is not known yet, and will be.
  bool measuring() const { return is_running(measuring_) || (planning() && !known()); }
  // All that was decided is in the plan.
  bool up_to_date() const { return known() && !planning() && !measuring(); }
  quint64 version() const { return version_; }  // grows with every plan
  const std::shared_ptr<ProxyStore>& store() const { return store_; }
  // What was measured of every frame; nullptr: nothing yet.
  const std::shared_ptr<const Measured>& measured() const { return measured_; }
  const std::vector<Suspect>& suspects() const { return suspects_; }
  const Suspect* suspect_at(int frame) const;
  // Of each cell how steady it was found to be (AsShot::steady); empty: not known.
  const std::vector<float>& steady() const;

  // When it was cancelled, or a frame that was away is back. Goes on where it stopped.
  void measure_again();

 signals:
  void changed();    // brightness, corrections, suspects, or whether they are being worked out
  void planned();    // what was decided last is in the plan
  void cancelled();  // measuring was, by the user

 private:
  void start_anew();
  void follow();
  void measure();
  void replan();  // the newest wins
  void hurry();

  Document& document_;
  TaskList& tasks_;
  std::shared_ptr<ProxyStore> store_;
  std::shared_ptr<const Measured> measured_;
  std::shared_ptr<const AsShot> as_shot_;
  std::shared_ptr<const Measured> as_shot_of_;  // in which it was found
  Decisions planned_for_;                       // what plan_ and as_shot_ are for
  Decisions followed_;                          // what was planned last, or is being planned
  std::vector<Suspect> suspects_;
  LightPlan plan_;
  TaskPtr measuring_, planning_;
  quint64 version_ = 0, shoot_serial_ = 0;
  bool plan_again_ = false;
};

}  // namespace tsukimi::app
