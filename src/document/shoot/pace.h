// SPDX-License-Identifier: GPL-3.0-or-later
// How time runs in the film: its speed against the sequence, what is shown between frames, how long
// the shutter of the film stands open, and how it begins and ends.
#pragma once

#include "adjust/keyed_values.h"

namespace tsukimi {

// Faster than it was shot: frames are left out, or all of them averaged. Slower: frames are made
// between along what moves, by dissolving, or each is shown for longer.
enum class Faster { skip, average };
enum class Slower { motion, dissolve, repeat };
constexpr Words<Faster> kFasterWords{{{Faster::skip, "skip"}, {Faster::average, "average"}}};
constexpr Words<Slower> kSlowerWords{
    {{Slower::motion, "motion"}, {Slower::dissolve, "dissolve"}, {Slower::repeat, "repeat"}}};
// Where the camera paused: the film goes on at once, the picture stands still for as long, or
// frames are made for the time.
enum class GapPolicy { close, hold, fill };
constexpr Words<GapPolicy> kGapPolicies{
    {{GapPolicy::close, "close"}, {GapPolicy::hold, "keep"}, {GapPolicy::fill, "fill"}}};

constexpr double kMostBlur = 720, kLongestFade = 60, kLongestFilm = 36000;  // degrees; s

struct Pace {
  KeyedValues speed{kPace, {}};  // none: as shot
  double length = 0;  // s of the film, which the speed then follows; 0: as the speed says
  Faster faster = Faster::skip;
  Slower slower = Slower::motion;
  GapPolicy gaps = GapPolicy::close;
  double blur = 0;          // degrees of a frame of the film during which its shutter is open
  bool blur_along = false;  // along what moves, else the mean of frames
  double fade_in = 0, fade_out = 0;  // s
  bool fade_white = false;           // to white, else to black
  bool operator==(const Pace&) const = default;
};

}  // namespace tsukimi
