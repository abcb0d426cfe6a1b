// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/repair_work.h"

#include "document/values.h"

namespace tsukimi::app {

RepairWork::RepairWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
                       Notices& notices)
    : document_(document), playhead_(playhead), light_(light), tasks_(tasks), notices_(notices) {
  connect(&document_, &Document::opened, this, [this, serial = quint64(0)]() mutable {
    if (std::exchange(serial, document_.shoot_serial()) != document_.shoot_serial()) map_.reset();
    hold_to_what_is_there();
  });
  connect(&document_, &Document::changed, this, &RepairWork::hold_to_what_is_there);
}

void RepairWork::hold_to_what_is_there() {
  const int count =
      document_.is_open() ? static_cast<int>(document_.decisions().repairs.size()) : 0;
  chosen_ = std::min(chosen_, count - 1);
  emit changed();
}

void RepairWork::choose(int repair) {
  if (std::exchange(chosen_, repair) != repair) emit changed();
}

const Repair* RepairWork::repair() const {
  if (!document_.is_open() || chosen_ < 0 || chosen_ >= std::ssize(document_.decisions().repairs))
    return nullptr;
  return &document_.decisions().repairs[static_cast<std::size_t>(chosen_)];
}

// It stands there when its source is known: with one that is not, it would cover nothing.
void RepairWork::look_for_source(const QString& text, Repair repair) {
  if (looking()) return;
  looking_ = tasks_.start(
      tr("Looking for what covers it"),
      [this, text, repair, copy = document_.shoot(), store = light_.store(),
       serial = document_.order_serial()](const Work& work) -> TaskList::Finish {
        const auto found = covered(copy, *store, repair, work);
        if (work.stop()) return {};
        return [this, text, found, asked = repair.kind(), serial] {
          if (serial != document_.order_serial()) return;
          if (!found) {
            emit notices_.problem(QString::fromStdString(found.error().message));
            return;
          }
          const int count = static_cast<int>(document_.decisions().repairs.size());
          document_.edit(text, [&](Shoot& s) { s.decisions.repairs.push_back(found->repair); });
          choose(count);
          if (found->misfit > kMisfit)
            emit notices_.message(
                tr("Nothing beside it fits its border well: if that shows, move its source."));
          else if (found->repair.kind() != asked)
            emit notices_.message(
                tr("No single place is like what lies round it: it became an area, covered from "
                   "several."));
        };
      });
  emit changed();
}

void RepairWork::add_spot(const Point& at) {
  if (!document_.is_open()) return;
  SpotRepair spot;
  Values v = presets(kSpot);
  v[Param::spot_x] = at.x, v[Param::spot_y] = at.y;
  v[Param::spot_radius] = radius;
  v[Param::spot_from_x] = v[Param::spot_from_y] = std::numeric_limits<double>::quiet_NaN();
  spot.values.at(document_.shoot().sequence.id_of(playhead_.frame()), v);
  look_for_source(tr("Mend a spot"), {{std::move(spot)}});
}

void RepairWork::add_area(const std::vector<Point>& polygon) {
  constexpr std::size_t kFewest = 3;
  if (!document_.is_open() || polygon.size() < kFewest) return;
  AreaRepair area;
  area.polygon = polygon;
  look_for_source(tr("Mend an area"), {{std::move(area)}});
}

void RepairWork::find_dust() {
  if (!document_.is_open() || looking()) return;
  looking_ = tasks_.start(
      tr("Looking for dust"),
      [this, copy = document_.shoot(), store = light_.store(),
       serial = document_.order_serial()](const Work& work) -> TaskList::Finish {
        auto map = std::make_shared<const DustMap>(map_dust(dust_frames(copy, *store), work));
        if (work.stop()) return {};
        return [this, map, serial] {
          if (serial != document_.order_serial()) return;
          map_ = map;
          int added = 0;
          if (!map->spots.empty())
            document_.edit(tr("Take out dust"), [&](Shoot& s) { added = add_dust(s, map->spots); });
          emit notices_.message(map->stops.width == 0
                                    ? tr("There are too few frames to tell dust from the scene.")
                                : map->spots.empty() ? tr("No dust was found.")
                                : added == 0 ? tr("All dust that was found is taken out already.")
                                : added == 1 ? tr("One spot of dust is taken out.")
                                             : tr("%1 spots of dust are taken out.").arg(added));
          emit changed();
        };
      });
  emit changed();
}

void RepairWork::edit_area(const QString& text, const std::function<void(AreaRepair&)>& change,
                           const QString& gesture) {
  if (!repair() || !repair()->area()) return;
  document_.edit(
      text,
      [&](Shoot& s) { change(*s.decisions.repairs[static_cast<std::size_t>(chosen_)].area()); },
      gesture);
}

// Of the chosen spot.
KeyedValues& RepairWork::keyed_values(Shoot& s) const {
  return keyed(s.decisions, {kSpot, chosen_, 0});
}

void RepairWork::remove() {
  if (!repair()) return;
  document_.edit(tr("Remove a repair"), [&](Shoot& s) {
    s.decisions.repairs.erase(s.decisions.repairs.begin() + chosen_);
  });
}

void RepairWork::set_on(int repair, bool on) {
  if (!document_.is_open() || repair >= std::ssize(document_.decisions().repairs)) return;
  document_.edit(on ? tr("Switch a repair on") : tr("Switch a repair off"),
                 [&](Shoot& s) { s.decisions.repairs[static_cast<std::size_t>(repair)].on = on; });
}

void RepairWork::set_spot(const std::vector<std::pair<Param, double>>& values,
                          const QString& gesture) {
  const Repair* r = repair();
  if (!r || !r->spot()) return;
  const bool keyed = r->spot()->is_keyed();
  document_.edit(
      tr("Move a repair"),
      [&](Shoot& s) {
        auto& keys = keyed_values(s).keys;
        Values& v =
            keyed ? values_at_key(s, playhead_.frame(), {kSpot, chosen_, 0}) : keys.front().values;
        for (const auto& [p, value] : values) v[p] = clamped(p, value);
      },
      gesture);
}

void RepairWork::set_source(const Point& source, const QString& gesture) {
  edit_area(
      tr("Move a source"), [&](AreaRepair& area) { area.source = source, area.quilt = {}; },
      gesture);
}

void RepairWork::set_fill(FillFrom fill) {
  edit_area(tr("Fill an area"), [&](AreaRepair& area) {
    area.fill = fill;
    // From time needs frames where it is not.
    if (fill != FillFrom::time || area.first != FrameId::none) return;
    const Sequence& s = document_.shoot().sequence;
    const int here = playhead_.frame(), last = document_.shoot().frame_count() - 1;
    area.first = s.id_of(std::max(0, here - 1));
    area.last = s.id_of(std::min(last, here + 1));
  });
}

void RepairWork::set_frames(int first, int last) {
  const int end = document_.shoot().frame_count() - 1;
  const Sequence& s = document_.shoot().sequence;
  first = std::clamp(first, 0, end);
  last = std::clamp(last, first, end);
  const bool all = first == 0 && last == end;
  if (all && repair() && repair()->area() && repair()->area()->is_from_time()) {
    emit notices_.message(
        tr("From time it needs frames before or after, where it is not: leave some out."));
    return emit changed();
  }
  edit_area(
      tr("Set frames of a repair"),
      [&](AreaRepair& area) {
        area.first = all ? FrameId::none : s.id_of(first);
        area.last = all ? FrameId::none : s.id_of(last);
      },
      "frames of a repair");
}

void RepairWork::set_fade(int frames) {
  edit_area(
      tr("Set soft ends"), [&](AreaRepair& area) { area.fade = frames; }, "soft ends of a repair");
}

void RepairWork::set_keyed(bool on) {
  const Repair* r = repair();
  if (!r || !r->spot() || on == r->spot()->is_keyed()) return;
  const int frame = playhead_.frame();
  document_.edit(on ? tr("Let a repair move") : tr("Let a repair stand still"), [&](Shoot& s) {
    auto& keys = keyed_values(s).keys;
    if (on) {
      const Values now = values_at_key(s, frame, {kSpot, chosen_, 0});
      // A second one at the other end: from one to the other it can move.
      const int other = frame > 0 ? 0 : s.frame_count() - 1;
      keyed_values(s).at(s.sequence.id_of(other), now);
    } else {
      const Values now = course_of(s, KeyTarget{kSpot, chosen_, 0}).at(frame);
      keys.erase(keys.begin() + 1, keys.end());
      keys.front().values = now;
    }
  });
}

void RepairWork::set_hidden(bool on) {
  if (std::exchange(hidden_, on) == on) return;
  ++serial_;
  emit changed();
}

}  // namespace tsukimi::app
