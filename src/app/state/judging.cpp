// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/judging.h"

#include "film/light_departures.h"
#include "measure/cell_light.h"

namespace tsukimi::app {

Judging::Judging(Document& document, LightWork& light, TaskList& tasks)
    : document_(document), light_(light), tasks_(tasks) {
  connect(&light_, &LightWork::changed, this, &Judging::follow);
  connect(&document_, &Document::opened, this, [this] {
    known_.reset();
    ++serial_;
  });
}

void Judging::set_beside(bool on) {
  if (on == beside_) return;
  beside_ = on;
  emit changed();
}

void Judging::set_lens(bool on) {
  if (on == lens_) return;
  lens_ = on;
  ++serial_;
  follow();
  emit changed();
}

const float* Judging::departures(int frame, bool before) const {
  if (!lens_ || !known_) return nullptr;
  const auto& of = before ? known_->before : known_->after;
  const auto at = static_cast<std::size_t>(frame) * CellLight::kCells;
  return at + CellLight::kCells <= of.size() ? of.data() + at : nullptr;
}

void Judging::follow() {
  if (!lens_ || !light_.known() || !light_.measured() || is_running(measuring_)) return;
  if (known_ && of_ == light_.version()) return;
  measure();
}

void Judging::measure() {
  const quint64 of = light_.version(), order = document_.order_serial();
  measuring_ = tasks_.start(
      tr("Looking for what changes"),
      [this, of, order, shoot = document_.shoot(), measured = light_.measured(),
       plan = light_.plan()](const Work&) -> TaskList::Finish {
        auto found = std::make_shared<Departures>();
        found->before = light_departures(shoot, measured->grids, plan, false);
        found->after = light_departures(shoot, measured->grids, plan, true);
        return [this, of, order, found] {
          if (order != document_.order_serial()) return follow();
          known_ = found;
          of_ = of;
          ++serial_;
          emit changed();
          follow();  // the plan may have moved on
        };
      },
      false);
}

}  // namespace tsukimi::app
