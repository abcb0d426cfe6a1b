// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/look_work.h"

#include <cmath>

#include "app/convert/value_text.h"
#include "document/carry.h"
#include "document/kept_places.h"
#include "document/values.h"

namespace tsukimi::app {

LookWork::LookWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
                   Notices& notices)
    : document_(document), playhead_(playhead), light_(light), tasks_(tasks), notices_(notices) {
  auto nothing = [this] { stop_trying(); };
  connect(&document_, &Document::opened, this, [this] {
    copied_.reset();
    stop_trying();
  });
  connect(&document_, &Document::changed, this, nothing);
  connect(&playhead_, &Playhead::frame_changed, this, nothing);
}

// Anything but 0 at some key frame.
static bool is_used_anywhere(const KeyedValues& values, Param p) {
  return std::ranges::any_of(values.keys, [&](const KeyFrame& k) { return k.values[p] != 0; });
}

bool LookWork::clears_air(const Decisions& d, int frame) const {
  return document_.course().at(Param::haze, frame) != 0 ||
         std::ranges::any_of(d.places, [](const LocalPlace& p) {
           return is_used_anywhere(p.values, Param::place_haze);
         });
}

void LookWork::set_value(Setting setting, double value, const QString& drag) {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  const bool fresh = !move_all && !has_key(document_.shoot(), frame, setting.target());
  const bool begins =
      setting.param == Param::haze && document_.course().at(Param::haze, frame) == 0;
  const bool begins_in_place =
      setting.param == Param::place_haze &&
      !is_used_anywhere(keyed(document_.decisions(), setting.target()), setting.param);
  const auto& row = info(setting.param);
  const QString gesture =
      tr("%1 at %2").arg(drag.isEmpty() ? tr("set ") + row.name : drag).arg(frame);
  document_.edit(
      tr("Set %1").arg(label_of(row.id).toLower()),
      [&](Shoot& s) {
        tsukimi::set_value(s, setting, frame, value, move_all);
        // The air is a matter of the look, also where only places clear it.
        if (begins_in_place && key_places(s).empty()) add_key(s, frame);
      },
      gesture);
  // The air is measured once, when haze begins to be used; undo takes both back.
  if (begins) measure_air_of(frame, gesture);
  if (begins_in_place)
    for (int key : key_places(document_.shoot()))
      if (document_.course().at(Param::haze, key) == 0) measure_air_of(key, gesture);
  if (fresh) emit notices_.message(tr("A key frame was made at frame %1.").arg(frame + 1));
}

double LookWork::preset(Param p) const {
  const TemperatureTint& shot = document_.shoot().as_shot;
  return p == Param::temperature ? shot.kelvin : p == Param::tint ? shot.tint : info(p).preset;
}

bool LookWork::is_changed(Param p) const {
  const auto& row = info(p);
  return std::ranges::any_of(document_.decisions().look.keys, [&](const KeyFrame& k) {
    return std::fabs(k.values[p] - preset(p)) > 0.5 * std::pow(10, -row.decimals);
  });
}

// At this frame, whether rulers move all key frames or not.
void LookWork::set_here(const QString& text, Setting setting, double value) {
  document_.edit(text, [&](Shoot& s) { tsukimi::set_value(s, setting, playhead_.frame(), value); });
}

void LookWork::reset(Setting setting) {
  if (document_.is_open() && is_changed(setting.param))
    set_here(tr("Reset %1").arg(label_of(setting.param).toLower()), setting, preset(setting.param));
}

void LookWork::set_at_all_keys(const QString& text, Setting setting, double value) {
  document_.edit(text, [&](Shoot& s) {
    for (KeyFrame& k : keyed(s.decisions, setting.target()).keys) k.values[setting.param] = value;
  });
}

void LookWork::reset_everywhere(Setting setting) {
  if (document_.is_open() && is_changed(setting.param))
    set_at_all_keys(tr("Reset %1").arg(label_of(setting.param).toLower()), setting,
                    preset(setting.param));
}

void LookWork::carry_everywhere(Setting setting) {
  if (!document_.is_open()) return;
  const double value = document_.course().at(setting.param, playhead_.frame());
  if (keyed(document_.decisions(), setting.target()).keys.empty()) return set_value(setting, value);
  set_at_all_keys(tr("Carry %1").arg(label_of(setting.param).toLower()), setting, value);
}

bool LookWork::can_be_evened(Setting setting) const {
  if (!document_.is_open()) return false;
  const auto keys = key_places(document_.shoot(), setting.target());
  return keys.size() > 2 && keys.front() < playhead_.frame() && playhead_.frame() < keys.back() &&
         has_key(document_.shoot(), playhead_.frame(), setting.target());
}

void LookWork::even_out(Setting setting) {
  if (!can_be_evened(setting)) return;
  const int frame = playhead_.frame();
  Shoot without = document_.shoot();
  remove_key(without, frame, setting.target());
  set_here(tr("Even out %1").arg(label_of(setting.param).toLower()), setting,
           course_of(without, setting.target()).at(setting.param, frame));
}

QString LookWork::set_text(Setting setting) const {
  const auto& row = info(setting.param);
  const int frame = playhead_.frame();
  return QString("--set %1=%2@%3")
      .arg(row.name)
      .arg(document_.course().at(setting.param, frame), 0, 'f', row.decimals)
      .arg(frame);
}

void LookWork::measure_air() {
  if (document_.is_open()) measure_air_of(playhead_.frame(), {});
}

// Apart from the window's thread: the frame may have to be read from its raw file.
void LookWork::measure_air_of(int frame, const QString& gesture) {
  tasks_.start(
      tr("Measuring the air"),
      [this, copy = document_.shoot(), store = light_.store(), plan = light_.plan(), frame, gesture,
       serial = document_.order_serial()](const Work&) mutable -> TaskList::Finish {
        set_airlight(copy, *store, plan, frame);
        if (!has_key(copy, frame)) return {};
        return [this, look = values_at_key(copy, frame), frame, gesture, serial] {
          // Haze may have been taken back meanwhile.
          if (serial != document_.order_serial() || !clears_air(document_.decisions(), frame))
            return;
          document_.edit(
              tr("Measure the air"),
              [&](Shoot& s) {
                Look& to = values_at_key(s, frame);
                for (auto p : {Param::airlight_red, Param::airlight_green, Param::airlight_blue})
                  to[p] = look[p];
              },
              gesture);
        };
      });
}

void LookWork::propose() {
  if (!document_.is_open()) return;
  // Developing the picture three times is too long for the window's thread.
  tasks_.start(
      tr("Proposing a look"),
      [this, copy = document_.shoot(), store = light_.store(), plan = light_.plan(),
       frame = playhead_.frame(),
       serial = document_.order_serial()](const Work&) mutable -> TaskList::Finish {
        propose_at(copy, *store, plan, frame);
        if (!has_key(copy, frame)) return {};
        return [this, look = values_at_key(copy, frame), frame, serial] {
          if (serial != document_.order_serial()) return;
          document_.edit(tr("Propose a look"), [&](Shoot& s) { values_at_key(s, frame) = look; });
          emit notices_.message(tr("These are plain values: change what you like, or undo."));
        };
      });
}

void LookWork::copy() {
  if (!document_.is_open()) return;
  copied_ = document_.course().at(playhead_.frame());
  copied_frame_ = playhead_.frame();
  emit notices_.message(tr("The look of frame %1 is copied.").arg(playhead_.frame() + 1));
}

void LookWork::paste() {
  if (!document_.is_open() || !copied_) return;
  const int frame = playhead_.frame();
  document_.edit(tr("Paste look"), [&](Shoot& s) { values_at_key(s, frame) = *copied_; });
}

void LookWork::carry(const Values& look, const std::vector<Param>& rows,
                     const std::vector<int>& frames) {
  if (!document_.is_open()) return;
  document_.edit(tr("Carry look"), [&](Shoot& s) { tsukimi::carry(s, look, rows, frames); });
  emit notices_.message(frames.size() == 1
                            ? tr("The look was carried to one key frame.")
                            : tr("The look was carried to %1 key frames.").arg(frames.size()));
}

bool LookWork::needs_air(const Values& look, int frame) const {
  return look[Param::haze] != 0 && document_.course().at(Param::haze, frame) == 0;
}

void LookWork::apply(const SavedLook& saved, const std::vector<Param>& rows) {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  const Values look = applied(saved, document_.course().at(frame), rows);
  const bool begins = needs_air(look, frame);
  const QString text = tr("Apply %1").arg(QString::fromStdString(saved.name)),
                gesture = tr("%1 at %2, version %3").arg(text).arg(frame).arg(document_.version());
  document_.edit(
      text,
      [&](Shoot& s) {
        values_at_key(s, frame) = look;
        add_kept_places(s, saved.places, frame);
      },
      gesture);
  if (begins) measure_air_of(frame, gesture);
}

void LookWork::try_on(const SavedLook& saved, const std::vector<Param>& rows) {
  if (!document_.is_open()) return;
  const int frame = playhead_.frame();
  const Values look = applied(saved, document_.course().at(frame), rows);
  const auto places = places_as_kept(saved.places);
  // It may have its air already.
  if (std::exchange(tried_from_, look) == look && places == tried_places_) return;
  show_tried(look, places);
  if (!needs_air(look, frame)) return;
  // With the air of this frame, as it will be when it is applied.
  tasks_.start(
      tr("Measuring the air"),
      [this, copy = document_.shoot(), store = light_.store(), plan = light_.plan(), frame,
       look](const Work&) mutable -> TaskList::Finish {
        values_at_key(copy, frame) = look;
        set_airlight(copy, *store, plan, frame);
        return [this, look, aired = values_at_key(copy, frame)] {
          if (tried_from_ == look) show_tried(aired, tried_places_);
        };
      },
      false);
}

void LookWork::stop_trying() {
  tried_from_.reset();
  show_tried({}, {});
}

void LookWork::show_tried(std::optional<Values> look, std::vector<PlaceAt> places) {
  if (look == tried_ && places == tried_places_) return;
  tried_ = std::move(look);
  tried_places_ = std::move(places);
  ++version_;
  emit tried_changed();
}

}  // namespace tsukimi::app
