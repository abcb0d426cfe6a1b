// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/values.h"

#include "document/framing/framing_edit.h"

namespace tsukimi {

Course course_of(const Shoot& shoot, const KeyTarget& target) {
  // The speed runs over the film's frames, whatever time the camera let pass between them.
  return {keyed(shoot.decisions, target),
          target.kind == kLook ? neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint)
                               : presets(target.kind),
          target.kind == kPace ? places_in(kept_frames_of(shoot), shoot.frame_count())
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

Values& values_at_key(Shoot& shoot, int frame, const KeyTarget& target) {
  if (target.kind == kGlide) return glide_at_key(shoot, frame);
  auto& all = keyed(shoot.decisions, target);
  const FrameId id = shoot.sequence.id_of(frame);
  auto now = [&] {
    if (all.find(id)) return Values{};
    if (target.kind != kGraduated && target.kind != kEllipse)
      return course_of(shoot, target).at(frame);
    const auto& place = shoot.decisions.places.at(static_cast<std::size_t>(target.number));
    return place_course_of(shoot, place)
        .whole(frame)
        .shapes.at(static_cast<std::size_t>(target.shape))
        .values;
  };
  return all.at(id, now()).values;
}

void add_key(Shoot& shoot, int frame, const KeyTarget& target) {
  values_at_key(shoot, frame, target);
}

void set_value(Shoot& shoot, Setting setting, int frame, double value, bool everywhere) {
  const KeyTarget target = setting.target();
  const Param p = setting.param;
  if (target.kind == kGlide) return set_glide_value(shoot, p, frame, value, everywhere);
  auto& all = keyed(shoot.decisions, target);
  if (everywhere && !all.keys.empty())
    move_all(all, p, course_of(shoot, target).at(p, frame), value);
  else
    values_at_key(shoot, frame, target)[p] = clamped(p, value);
}

}  // namespace tsukimi
