// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/light_work.h"

#include "base/cache.h"
#include "film/checks.h"
#include "film/grid_in_place.h"

namespace tsukimi::app {

LightWork::LightWork(Document& document, TaskList& tasks) : document_(document), tasks_(tasks) {
  connect(&document_, &Document::opened, this, &LightWork::start_anew);
  connect(&document_, &Document::changed, this, &LightWork::follow);
  connect(&document_, &Document::frames_added, this, [this] {
    if (measured_) measure();  // else it goes on with them by itself
  });
}

const Suspect* LightWork::suspect_at(int frame) const {
  for (const auto& s : suspects_)
    if (s.frame == frame) return &s;
  return nullptr;
}

const std::vector<float>& LightWork::steady() const {
  static const std::vector<float> unknown;
  return as_shot_ ? as_shot_->steady : unknown;
}

void LightWork::start_anew() {
  if (std::exchange(shoot_serial_, document_.shoot_serial()) != document_.shoot_serial()) {
    // What still runs for the shoot before is of no use.
    for (const auto& task : {measuring_, planning_})
      if (task) task->cancelled = true;
    store_ = std::make_shared<ProxyStore>(document_.shoot().sequence.folder);
  }
  plan_ = {};
  measured_.reset();
  as_shot_.reset();
  suspects_.clear();
  followed_ = document_.decisions();
  measure();
}

static auto of_light(const Decisions& d) {
  return std::tie(d.level, d.deflicker, d.set_aside, d.in, d.out);
}

// Follows a hand that drags at once; what is left in the pictures is measured after.
void LightWork::hurry() {
  if (!as_shot_ || !known()) return;
  const Decisions& now = document_.decisions();
  if (of_light(planned_for_) == of_light(now)) return;
  Decisions nearly = planned_for_;
  nearly.deflicker.period = now.deflicker.period;
  nearly.deflicker.limit = now.deflicker.limit;
  if (of_light(nearly) != of_light(now)) return;  // more than that has changed
  planned_for_ = std::move(nearly);
  plan_ = plan_again(document_.shoot(), plan_, *as_shot_);
  ++version_;
  emit changed();
}

void LightWork::follow() {
  // The movement is known now, or is not asked for any more: cells follow the picture, or do not.
  const bool lies_otherwise = measured_ && !lacks_motion(document_.shoot()) &&
                              measured_->in_place != track_for_light(document_.shoot());
  if (lies_otherwise && !is_running(measuring_)) measure();
  if (of_light(followed_) == of_light(document_.decisions())) return;
  followed_ = document_.decisions();
  hurry();
  if (measured_)
    replan();
  else
    measure_again();  // it was cancelled, and is wanted now
}

void LightWork::measure_again() {
  if (document_.is_open() && !measuring()) measure();
}

void LightWork::measure() {
  const quint64 serial = document_.order_serial();
  measuring_ = tasks_.start(
      tr("Measuring light"),
      [this, copy = document_.shoot(), store = store_, known = measured_,
       serial](const Work& work) mutable -> TaskList::Finish {
        auto measured = std::make_shared<const Measured>(
            measure_frames(copy, *store, work, known ? *known : Measured()));
        if (work.stop())
          return [this, serial] {
            if (serial != document_.order_serial()) return;
            emit cancelled();
            emit changed();
          };
        trim_cache();
        auto frames = std::make_shared<std::vector<FrameInfo>>(std::move(copy.sequence.frames));
        return [this, measured, frames, serial] {
          if (serial != document_.order_serial()) return;
          measured_ = measured;
          suspects_ = measured->suspects;
          as_shot_.reset();
          const auto& known_frames = document_.shoot().sequence.frames;
          const bool worse = !std::equal(
              frames->begin(), frames->end(), known_frames.begin(),
              [](const FrameInfo& a, const FrameInfo& b) { return a.problem == b.problem; });
          if (worse)
            document_.learn([&](Shoot& s) {
              for (std::size_t i = 0; i < frames->size(); ++i) {
                s.sequence.frames[i].problem = (*frames)[i].problem;
                s.sequence.frames[i].away = (*frames)[i].away;
              }
            });
          emit changed();  // the suspects are there
          // A camera has gone on shooting meanwhile.
          if (measured_->grids.size() < document_.shoot().sequence.frames.size())
            measure();
          else
            replan();
          follow();  // it may lie otherwise by now
        };
      });
  emit changed();  // it is being measured now
}

void LightWork::replan() {
  if (!measured_ || measured_->grids.size() != document_.shoot().sequence.frames.size()) return;
  if (planning()) {
    plan_again_ = true;
    return;
  }
  plan_again_ = false;
  const quint64 serial = document_.order_serial();
  const auto needs = [](const Decisions& d) {
    return std::tie(d.level.find_steps, d.deflicker.areas, d.deflicker.uneven, d.deflicker.colour,
                    d.set_aside);
  };
  // What was found in grids that lay otherwise, or in fewer of them, is of no use.
  const bool may_stay =
      as_shot_ && as_shot_of_ == measured_ && needs(planned_for_) == needs(document_.decisions());
  auto known = may_stay ? as_shot_ : nullptr;
  planning_ = tasks_.start(
      tr("Planning light"),
      [this, copy = document_.shoot(), measured = measured_, known,
       serial](const Work&) -> TaskList::Finish {
        const auto& grids = measured->grids;
        auto as_shot = known ? known : std::make_shared<const AsShot>(light_as_shot(copy, grids));
        auto plan = std::make_shared<LightPlan>(plan_light(copy, grids, *as_shot));
        return [this, as_shot, measured, decisions = copy.decisions, plan, serial] {
          const bool ours = serial == document_.order_serial();
          if (ours) {
            as_shot_ = as_shot;
            as_shot_of_ = measured;
            planned_for_ = decisions;
            plan_ = std::move(*plan);
            ++version_;
            emit changed();
            hurry();
          }
          if (plan_again_ || !ours) return replan();
          emit planned();
        };
      },
      false);
}

}  // namespace tsukimi::app
