// SPDX-License-Identifier: GPL-3.0-or-later
// All that runs over the frames.
#pragma once

#include "document/framing/framing_course.h"
#include "document/shoot/shoot.h"

namespace tsukimi {

struct Courses {
  Course look;
  std::vector<PlaceCourse> places;
  std::vector<RepairCourse> repairs;
  FilmFrames film;
  FramingCourse framing;
  std::optional<Course> trails;  // nothing when the film has none
};
Courses courses_of(const Shoot& shoot);
Courses courses_of(const Shoot& shoot, const Decisions& decisions);  // others than are its own

}  // namespace tsukimi
