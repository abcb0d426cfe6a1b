// SPDX-License-Identifier: GPL-3.0-or-later
// How large the pictures of an export become, and what is said of it before.
#pragma once

#include "document/framing/framing_course.h"

namespace tsukimi {

// The size of frames, or of a film (even on both sides); of what is made first when none is named.
// Nothing wanted: the pixels of the crop where it is smallest, so that nothing is enlarged.
Size output_size(const FramingCourse& framing, const PixelSize& wanted);
Size output_size(const Shoot& shoot, const FramingCourse& framing);
Size output_size(const Shoot& shoot, const PixelSize& wanted);
Size film_size(const Shoot& shoot, const FilmSettings& film);
Size output_size(const Shoot& shoot);

// A sentence that says so when the crop is trimmed to the shape by more than half a per cent, else
// empty.
std::string shape_note(const Shoot& shoot, Size size);
// A sentence that says so when there are to be more pixels than the crop has, else empty.
std::string enlarged_note(const Shoot& shoot, Size size);
// A sentence that says so when fades take longer than the film, else empty.
std::string fades_note(const Shoot& shoot);
// A sentence that says what turning and steadying take from the crop, else empty.
std::string fit_note(const FramingCourse& framing);  // also why stars are not held

}  // namespace tsukimi
