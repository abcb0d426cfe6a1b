// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/area_work.h"

namespace tsukimi::app {

void AreaWork::choose(int area) {
  if (area == chosen_) return;
  chosen_ = area;
  emit changed();
}

void AreaWork::set_map(bool on) {
  if (on == map_) return;
  map_ = on;
  emit changed();
}

void AreaWork::add(const SteadyArea& area) {
  document_.edit(area.leave_out ? tr("Leave an area out") : tr("Draw steady area"),
                 [&](Shoot& s) { s.decisions.deflicker.areas.push_back(area); });
}

void AreaWork::remove_chosen() {
  if (chosen_ < 0 || chosen_ >= std::ssize(document_.decisions().deflicker.areas)) return;
  const int at = std::exchange(chosen_, -1);
  document_.edit(tr("Remove an area"), [at](Shoot& s) {
    auto& areas = s.decisions.deflicker.areas;
    areas.erase(areas.begin() + at);
  });
}

void AreaWork::clear() {
  chosen_ = -1;
  document_.edit(tr("Measure the whole picture"),
                 [](Shoot& s) { s.decisions.deflicker.areas.clear(); });
}

}  // namespace tsukimi::app
