#include "document/values.h"

#include "document/framing/framing_edit.h"

namespace tsukimi {

Course course_of(const Shoot& shoot, const Thing& thing) {
  // The speed runs over the film's frames, whatever time the camera let pass between them.
  return {keyed(shoot.decisions, thing),
          thing.kind == kLook ? neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint)
                              : presets(thing.kind),
          thing.kind == kPace ? places_in(stock_of(shoot), shoot.frame_count())
                              : time_axis(shoot.sequence.frames),
          shoot.sequence.places};
}

PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place,
                            const std::vector<double>& axis) {
  const bool follows = place.follow && shoot.motion;
  return {place, axis, shoot.sequence.places, follows ? moves_of(shoot) : std::vector<Similarity>(),
          aspect_of(shoot)};
}

PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place) {
  return place_course_of(shoot, place, time_axis(shoot.sequence.frames));
}

Values& values_at_key(Shoot& shoot, int frame, const Thing& thing) {
  if (thing.kind == kGlide) return glide_at_key(shoot, frame);
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

void set_value(Shoot& shoot, Setting setting, int frame, double value, bool everywhere) {
  const Thing thing = setting.thing();
  const Param p = setting.param;
  if (thing.kind == kGlide) return set_glide_value(shoot, p, frame, value, everywhere);
  auto& all = keyed(shoot.decisions, thing);
  if (everywhere && !all.keys.empty())
    move_all(all, p, course_of(shoot, thing).at(p, frame), value);
  else
    values_at_key(shoot, frame, thing)[p] = clamped(p, value);
}

}  // namespace tsukimi
