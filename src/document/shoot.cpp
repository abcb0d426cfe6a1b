#include "document/shoot.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <unordered_map>

#include "motion/track.h"

namespace tsukimi {

Result<Shoot> start_shoot(Sequence sequence) {
  Shoot shoot;
  std::string problem = "no frame can be used";
  for (auto& frame : sequence.frames) {
    if (!frame.usable()) continue;
    const auto first = read_frame(sequence.folder / frame.file);
    if (first) {
      const auto t = as_shot_temperature(first->colour);
      shoot.as_shot = {clamped(Param::temperature, t.kelvin), clamped(Param::tint, t.tint)};
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

bool has(const Decisions& d, const Thing& thing) {
  if (thing.kind == kLook) return true;
  if (thing.kind == kSpot)
    return thing.number >= 0 && thing.number < std::ssize(d.repairs) &&
           d.repairs[static_cast<std::size_t>(thing.number)].kind == RepairKind::spot;
  if (thing.number < 0 || thing.number >= std::ssize(d.places)) return false;
  const LocalPlace& place = d.places[static_cast<std::size_t>(thing.number)];
  return thing.kind == kPlace ||
         (thing.shape >= 0 && thing.shape < std::ssize(place.shapes) &&
          place.shapes[static_cast<std::size_t>(thing.shape)].values.kind == thing.kind);
}

KeyedValues& keyed(Decisions& d, const Thing& thing) {
  if (thing.kind == kLook) return d.look;
  if (thing.kind == kSpot) return d.repairs.at(static_cast<std::size_t>(thing.number)).values;
  LocalPlace& place = d.places.at(static_cast<std::size_t>(thing.number));
  return thing.kind == kPlace ? place.values
                              : place.shapes.at(static_cast<std::size_t>(thing.shape)).values;
}

const KeyedValues& keyed(const Decisions& d, const Thing& thing) {
  return keyed(const_cast<Decisions&>(d), thing);
}

Course course_of(const Shoot& shoot, const Thing& thing) {
  return {keyed(shoot.decisions, thing),
          thing.kind == kLook ? neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint)
                              : presets(thing.kind),
          time_axis(shoot.sequence.frames), shoot.sequence.places};
}

double aspect_of(const Shoot& shoot) {
  const Size size = shoot.sequence.size;
  return size.height > 0 ? static_cast<double>(size.width) / size.height : 1.5;
}

static PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place,
                                   const std::vector<double>& axis) {
  std::vector<Similarity> motion;
  if (place.follow && shoot.motion)
    for (const FrameInfo& f : shoot.sequence.frames) {
      const auto id = static_cast<std::size_t>(f.id);
      const auto& known = shoot.motion->frames;
      motion.push_back(id < known.size() ? known[id].move : Similarity{});
    }
  return {place, axis, shoot.sequence.places, std::move(motion), aspect_of(shoot)};
}

PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place) {
  return place_course_of(shoot, place, time_axis(shoot.sequence.frames));
}

Courses courses_of(const Shoot& shoot, const Decisions& d) {
  const auto axis = time_axis(shoot.sequence.frames);
  const auto& places = shoot.sequence.places;
  Courses out{
      {d.look, neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint), axis, places}, {}, {}};
  for (const LocalPlace& place : d.places)
    out.places.push_back(place_course_of(shoot, place, axis));
  if (d.repairs.empty()) return out;
  std::vector<double> apertures;
  for (const FrameInfo& f : shoot.sequence.frames) apertures.push_back(f.aperture);
  for (const Repair& r : d.repairs) out.repairs.emplace_back(r, axis, places, apertures);
  return out;
}

Courses courses_of(const Shoot& shoot) { return courses_of(shoot, shoot.decisions); }

bool has_key(const Shoot& shoot, int frame, const Thing& thing) {
  return keyed(shoot.decisions, thing).find(shoot.sequence.id_of(frame));
}

std::vector<int> key_places(const Shoot& shoot, const Thing& thing) {
  std::vector<int> out;
  for (const auto& k : keyed(shoot.decisions, thing).keys)
    out.push_back(shoot.sequence.place_of(k.frame));
  std::ranges::sort(out);
  return out;
}

Values& values_at_key(Shoot& shoot, int frame, const Thing& thing) {
  auto& all = keyed(shoot.decisions, thing);
  const FrameId id = shoot.sequence.id_of(frame);
  auto now = [&] {
    if (all.find(id)) return Values{};
    if (thing.kind != kGraduated && thing.kind != kEllipse)
      return course_of(shoot, thing).at(frame);
    const auto& place = shoot.decisions.places.at(static_cast<std::size_t>(thing.number));
    return place_course_of(shoot, place)
        .whole(frame)
        .shapes.at(static_cast<std::size_t>(thing.shape))
        .values;
  };
  return all.at(id, now()).values;
}

void add_key(Shoot& shoot, int frame, const Thing& thing) { values_at_key(shoot, frame, thing); }

void remove_key(Shoot& shoot, int frame, const Thing& thing) {
  keyed(shoot.decisions, thing).remove(shoot.sequence.id_of(frame));
}

bool move_key(Shoot& shoot, int from, int to, const Thing& thing) {
  auto& all = keyed(shoot.decisions, thing);
  const KeyFrame* there = all.find(shoot.sequence.id_of(from));
  if (!there || to < 0 || to >= shoot.frame_count() || has_key(shoot, to, thing)) return false;
  KeyFrame moved = *there;
  all.remove(moved.frame);
  moved.frame = shoot.sequence.id_of(to);
  all.at(moved.frame, moved.values).easing = moved.easing;
  return true;
}

Easing easing_at(const Shoot& shoot, int frame, const Thing& thing) {
  const KeyFrame* key = keyed(shoot.decisions, thing).find(shoot.sequence.id_of(frame));
  return key ? key->easing : Easing::smooth;
}

void set_easing(Shoot& shoot, int frame, Easing easing, const Thing& thing) {
  auto& all = keyed(shoot.decisions, thing);
  const FrameId id = shoot.sequence.id_of(frame);
  if (const KeyFrame* key = all.find(id)) all.at(id, key->values).easing = easing;
}

void set_value(Shoot& shoot, Setting setting, int frame, double value, bool everywhere) {
  const Thing thing = setting.thing();
  const Param p = setting.param;
  auto& all = keyed(shoot.decisions, thing);
  if (everywhere && !all.keys.empty())
    move_all(all, p, course_of(shoot, thing).at(p, frame), value);
  else
    values_at_key(shoot, frame, thing)[p] = clamped(p, value);
}

bool is_used(const Decisions& d, Setting setting) {
  return std::ranges::any_of(keyed(d, setting.thing()).keys,
                             [&](const KeyFrame& k) { return k.values[setting.param] > 0; });
}

void sort_shoot(Shoot& shoot, FrameOrder order) {
  shoot.sequence.order = shoot.decisions.order = order;
  shoot.sequence.ordering = sort_frames(shoot.sequence.frames, order);
  // The ends of the film are places, not pictures: they stay where they are.
  find_facts(shoot.sequence);
}

Decisions moved_to(const Decisions& decisions, const Sequence& from, const Sequence& to) {
  std::unordered_map<std::string, FrameId> ids;
  for (const auto& f : to.frames) ids.emplace(f.file, f.id);
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
  }
  for (auto& k : out.look.keys) k.frame = id_of(k.frame);
  out.look.remove(FrameId::none);
  std::ranges::sort(out.look.keys, {}, &KeyFrame::frame);
  for (LocalPlace& place : out.places) move_keys(place, id_of);
  for (Repair& repair : out.repairs) move_keys(repair, id_of);
  return out;
}

void append_frames(Shoot& shoot, std::vector<FrameInfo> frames) {
  auto& all = shoot.sequence.frames;
  sort_frames(frames, shoot.decisions.order);
  for (auto& f : frames) all.push_back(std::move(f));
  find_facts(shoot.sequence);
}

Size output_size(const Shoot& shoot, const PixelSize& wanted) {
  if (wanted.exact.width > 0) return wanted.exact;
  const Size all = natural_size(shoot.sequence.size, shoot.decisions.framing.crop);
  if (wanted.long_edge <= 0) return all;
  const double scale = static_cast<double>(wanted.long_edge) / std::max(all.width, all.height);
  return {std::max(1, static_cast<int>(std::lround(all.width * scale))),
          std::max(1, static_cast<int>(std::lround(all.height * scale)))};
}

Size film_size(const Shoot& shoot, const FilmSettings& film) {
  // Colour has half as many samples: a row or a column more is left out.
  const Size all = output_size(shoot, film.pixels);
  return {std::max(2, all.width / 2 * 2), std::max(2, all.height / 2 * 2)};
}

Size output_size(const Shoot& shoot) {
  const Decisions& d = shoot.decisions;
  return d.makes_frames || d.films.empty() ? output_size(shoot, d.output.pixels)
                                           : film_size(shoot, d.films.front());
}

Rect film_rect(const Shoot& shoot) { return film_rect(shoot, output_size(shoot)); }

Rect film_rect(const Shoot& shoot, Size out) {
  const Rect crop = shoot.decisions.framing.crop;
  const Size frame = shoot.sequence.size;
  const double have = crop.w * frame.width / (crop.h * frame.height);
  const double want = static_cast<double>(out.width) / out.height;
  Rect r = crop;
  if (have > want)
    r.w *= want / have;
  else
    r.h *= have / want;
  r.x += (crop.w - r.w) / 2;
  r.y += (crop.h - r.h) / 2;
  return r;
}

std::string shape_note(const Shoot& shoot, Size out) {
  const Rect crop = shoot.decisions.framing.crop, film = film_rect(shoot, out);
  const double lost = 1 - film.w * film.h / (crop.w * crop.h);
  if (lost < 0.005) return {};
  char text[160];
  std::snprintf(text, sizeof text,
                "%d×%d has another shape than the crop: %.0f %% of it is cut away at the %s.",
                out.width, out.height, std::max(1.0, 100 * lost),
                film.w < crop.w ? "sides" : "top and bottom");
  return text;
}

std::string enlarged_note(const Shoot& shoot, Size out) {
  const Size there = natural_size(shoot.sequence.size, film_rect(shoot, out));
  if (out.width <= there.width && out.height <= there.height) return {};
  char text[160];
  std::snprintf(text, sizeof text,
                "The crop has %d×%d pixels there: %d×%d is enlarged, and shows no more detail.",
                there.width, there.height, out.width, out.height);
  return text;
}

}  // namespace tsukimi
