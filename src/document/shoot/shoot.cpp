// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/shoot/shoot.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <unordered_map>

#include "motion/track.h"

namespace tsukimi {

bool has_wide_light(const Decisions& d) {
  return std::ranges::any_of(d.films,
                             [](const FilmSettings& f) { return f.light != FilmLight::standard; });
}

Result<Shoot> start_shoot(Sequence sequence) {
  Shoot shoot;
  std::string problem = "no frame can be used";
  for (auto& frame : sequence.frames) {
    if (!frame.usable()) continue;
    const auto first = read_frame(sequence.folder / frame.file);
    if (first) {
      const auto t = as_shot_temperature(first->colour);
      shoot.as_shot = {clamped(Param::temperature, t.kelvin), clamped(Param::tint, t.tint)};
      shoot.decisions.brackets = sequence.brackets;
      shoot.sequence = std::move(sequence);
      return shoot;
    }
    problem = first.error().message;
    frame.problem = "cannot be read";
  }
  for (const auto& f : sequence.frames)
    if (!f.problem.empty() && problem == "no frame can be used") problem = f.file + " " + f.problem;
  return fail("No frame in " + sequence.folder.string() + " can be read: " + problem);
}

std::optional<Setting> find_setting(std::string_view name) {
  const auto dot = name.find('.');
  if (dot == name.npos) {
    const auto param = find_parameter(name);
    return param ? std::optional(Setting(*param)) : std::nullopt;
  }
  const std::string_view kind = name.substr(0, dot);
  name = name.substr(dot + 1);
  if (kind == kLook.name) return find_setting(name);
  for (const Kind& one : {kGlide, kPace, kStarHold, kTrails})
    if (kind == one.name) {
      const auto param = find_parameter(name, one);
      return param ? std::optional(Setting(*param)) : std::nullopt;
    }
  if (kind != kPlace.name) return {};
  int number = 1;
  if (const auto next = name.find('.'); next != name.npos) {
    const char* end = name.data() + next;
    const auto read = std::from_chars(name.data(), end, number);
    if (read.ec != std::errc() || read.ptr != end || number < 1) return {};
    name = name.substr(next + 1);
  }
  const auto param = find_parameter(name, kPlace);
  return param ? std::optional(Setting(*param, number - 1)) : std::nullopt;
}

bool has(const Decisions& d, const KeyTarget& target) {
  constexpr Kind kOnce[] = {kLook, kGlide, kPace, kStarHold, kTrails};
  if (std::ranges::find(kOnce, target.kind) != std::end(kOnce)) return true;
  if (target.kind == kSpot)
    return target.number >= 0 && target.number < std::ssize(d.repairs) &&
           d.repairs[static_cast<std::size_t>(target.number)].spot();
  if (target.number < 0 || target.number >= std::ssize(d.places)) return false;
  const LocalPlace& place = d.places[static_cast<std::size_t>(target.number)];
  return target.kind == kPlace ||
         (target.shape >= 0 && target.shape < std::ssize(place.shapes) &&
          place.shapes[static_cast<std::size_t>(target.shape)].values.kind == target.kind);
}

KeyedValues& keyed(Decisions& d, const KeyTarget& target) {
  if (target.kind == kLook) return d.look;
  if (target.kind == kGlide) return d.framing.glide;
  if (target.kind == kPace) return d.pace.speed;
  if (target.kind == kStarHold) return d.framing.stars;
  if (target.kind == kTrails) return d.trails.values;
  if (target.kind == kSpot)
    return d.repairs.at(static_cast<std::size_t>(target.number)).spot()->values;
  LocalPlace& place = d.places.at(static_cast<std::size_t>(target.number));
  return target.kind == kPlace ? place.values
                               : place.shapes.at(static_cast<std::size_t>(target.shape)).values;
}

const KeyedValues& keyed(const Decisions& d, const KeyTarget& target) {
  return keyed(const_cast<Decisions&>(d), target);
}

double shape_of_crop(const Shoot& shoot) {
  const Rect& crop = shoot.decisions.framing.crop;
  return aspect_of(shoot) * crop.w / crop.h;
}

double aspect_of(const Shoot& shoot) {
  const Size size = shoot.sequence.size;
  return size.height > 0 ? static_cast<double>(size.width) / size.height : 1.5;
}

Similarity move_of(const Shoot& shoot, int frame) {
  const auto id = static_cast<std::size_t>(shoot.sequence.id_of(frame));
  const bool known = shoot.motion && id < shoot.motion->frames.size();
  return known ? shoot.motion->frames[id].move : Similarity{};
}

std::vector<Similarity> moves_of(const Shoot& shoot) {
  std::vector<Similarity> out;
  for (int k = 0; k < shoot.frame_count(); ++k) out.push_back(move_of(shoot, k));
  return out;
}

bool has_key(const Shoot& shoot, int frame, const KeyTarget& target) {
  return keyed(shoot.decisions, target).find(shoot.sequence.id_of(frame));
}

std::vector<int> key_places(const Shoot& shoot, const KeyTarget& target) {
  std::vector<int> out;
  for (const auto& k : keyed(shoot.decisions, target).keys)
    out.push_back(shoot.sequence.place_of(k.frame));
  std::ranges::sort(out);
  return out;
}

void remove_key(Shoot& shoot, int frame, const KeyTarget& target) {
  keyed(shoot.decisions, target).remove(shoot.sequence.id_of(frame));
}

bool move_key(Shoot& shoot, int from, int to, const KeyTarget& target) {
  auto& all = keyed(shoot.decisions, target);
  const KeyFrame* there = all.find(shoot.sequence.id_of(from));
  if (!there || to < 0 || to >= shoot.frame_count() || has_key(shoot, to, target)) return false;
  KeyFrame moved = *there;
  all.remove(moved.frame);
  moved.frame = shoot.sequence.id_of(to);
  all.at(moved.frame, moved.values).easing = moved.easing;
  return true;
}

Easing easing_at(const Shoot& shoot, int frame, const KeyTarget& target) {
  const KeyFrame* key = keyed(shoot.decisions, target).find(shoot.sequence.id_of(frame));
  return key ? key->easing : Easing::smooth;
}

void set_easing(Shoot& shoot, int frame, Easing easing, const KeyTarget& target) {
  auto& all = keyed(shoot.decisions, target);
  const FrameId id = shoot.sequence.id_of(frame);
  if (const KeyFrame* key = all.find(id)) all.at(id, key->values).easing = easing;
}

void ease_ends(Shoot& shoot) {
  const auto places = key_places(shoot, {kGlide});
  for (int place : places)
    set_easing(shoot, place,
               place == places.front() || place == places.back() ? Easing::eased : Easing::smooth,
               {kGlide});
}

bool is_used(const Decisions& d, Setting setting) {
  return std::ranges::any_of(keyed(d, setting.target()).keys,
                             [&](const KeyFrame& k) { return k.values[setting.param] > 0; });
}

void sort_shoot(Shoot& shoot, FrameOrder order) {
  Sequence& s = shoot.sequence;
  s.order = shoot.decisions.order = order;
  s.frames = shots_of(s.frames);
  s.ordering = sort_frames(s.frames, order);
  // The ends of the film are places, not pictures: they stay where they are.
  group_frames(s, s.brackets);
}

// What the shots are now, with the ends of the film at the frames that have their shots.
static void regroup(Shoot& shoot, const Bracketing& how, std::vector<FrameInfo> more) {
  const Sequence before = shoot.sequence;
  Decisions& d = shoot.decisions;
  Sequence& s = shoot.sequence;
  std::ranges::move(more, std::back_inserter(s.frames));
  group_frames(s, how);
  const auto place_of = [&](int place) {
    return place < 0 || place >= std::ssize(before.frames) ? place
                                                           : s.place_of(before.id_of(place));
  };
  d = moved_to(d, before, s);
  d.in = std::max(place_of(d.in), 0), d.out = place_of(d.out);
  d.brackets = how;
}

void group_shoot(Shoot& shoot, const Bracketing& how) { regroup(shoot, how, {}); }

// Things that each stand at a frame, to other frames; those for which `to` gives none go.
template <typename T, typename To>
static void move_by_frame(std::vector<T>& list, const To& to) {
  for (T& one : list) one.frame = to(one.frame);
  std::erase_if(list, [](const T& one) { return one.frame == FrameId::none; });
  std::ranges::stable_sort(list, {}, &T::frame);
  list.erase(std::ranges::unique(list, {}, &T::frame).begin(), list.end());
}

Decisions moved_to(const Decisions& decisions, const Sequence& from, const Sequence& to) {
  std::unordered_map<std::string, FrameId> ids;
  for (const auto& f : to.frames) {
    ids.emplace(f.file, f.id);
    for (const auto& other : f.others) ids.emplace(other.file, f.id);
  }
  auto id_of = [&](FrameId id) {
    const int place = from.place_of(id);
    const auto it = place < 0 ? ids.end() : ids.find(from.frames[place].file);
    return it == ids.end() ? FrameId::none : it->second;
  };
  Decisions out = decisions;
  for (auto* list : {&out.set_aside, &out.looked_at}) {
    for (FrameId& id : *list) id = id_of(id);
    std::erase(*list, FrameId::none);
    std::ranges::sort(*list);
    list->erase(std::ranges::unique(*list).begin(), list->end());
  }
  move_keys(out.look, id_of);
  for (LocalPlace& place : out.places) move_keys(place, id_of);
  for (Repair& repair : out.repairs) move_keys(repair, id_of);
  move_keys(out.framing.glide, id_of);
  move_keys(out.pace.speed, id_of);
  move_keys(out.framing.stars, id_of);
  move_keys(out.trails.values, id_of);
  if (const FrameId id = id_of(out.trails.ground_frame); id != FrameId::none)
    out.trails.ground_frame = id;
  else
    out.trails.ground_frame = to.frames.empty() ? FrameId{0} : to.id_of(0);
  move_by_frame(out.level.choices, id_of);
  move_by_frame(out.level.evening, id_of);
  move_by_frame(out.deflicker.softened, id_of);
  return out;
}

void append_frames(Shoot& shoot, std::vector<FrameInfo> frames) {
  sort_frames(frames, shoot.decisions.order);
  regroup(shoot, shoot.sequence.brackets, std::move(frames));
}

}  // namespace tsukimi
