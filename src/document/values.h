// SPDX-License-Identifier: GPL-3.0-or-later
// What has values, over all frames and at its key frames.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

// A target over all frames, through its key frames, over capture time.
Course course_of(const Shoot& shoot, const KeyTarget& target = {});
// A place as it is over all frames, with what moves it.
PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place);
PlaceCourse place_course_of(const Shoot& shoot, const LocalPlace& place,
                            const std::vector<double>& time_axis);

// Making a key frame keeps the picture: it takes the values that the course has there.
void add_key(Shoot& shoot, int frame, const KeyTarget& target = {});
Values& values_at_key(Shoot& shoot, int frame,
                      const KeyTarget& target = {});  // made if there is none
// Sets a value at the key frame there, making one if there is none; or, with `everywhere`, moves it
// at all key frames by the same amount (on the parameter's scale).
void set_value(Shoot& shoot, Setting setting, int frame, double value, bool everywhere = false);

}  // namespace tsukimi
