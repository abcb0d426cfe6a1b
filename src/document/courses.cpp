// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/courses.h"

#include "document/values.h"

namespace tsukimi {

Courses courses_of(const Shoot& shoot, const Decisions& d) {
  const auto axis = time_axis(shoot.sequence.frames);
  const auto& places = shoot.sequence.places;
  const FilmFrames film(shoot);
  Courses out{{d.look, neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint), axis, places},
              {},
              {},
              film,
              FramingCourse(shoot, d, film),
              {}};
  if (d.trails.kind != TrailKind::none)
    out.trails.emplace(d.trails.values, presets(kTrails), axis, places);
  for (const LocalPlace& place : d.places)
    out.places.push_back(place_course_of(shoot, place, axis));
  if (d.repairs.empty()) return out;
  std::vector<double> apertures;
  for (const FrameInfo& f : shoot.sequence.frames) apertures.push_back(f.aperture);
  for (const Repair& r : d.repairs) out.repairs.emplace_back(r, axis, places, apertures);
  return out;
}

Courses courses_of(const Shoot& shoot) { return courses_of(shoot, shoot.decisions); }

}  // namespace tsukimi
