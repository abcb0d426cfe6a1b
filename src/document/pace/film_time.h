// SPDX-License-Identifier: GPL-3.0-or-later
// Where the film is in the sequence at each of its frames.
#pragma once

#include "document/pace/kept_frames.h"

namespace tsukimi {

class FilmTime {
 public:
  FilmTime(const Shoot& shoot, const KeptFrames& kept);
  int frames() const { return frames_; }  // that the film has; exact, from the first to the last
  double place(double time) const;        // among the kept frames, at a time in frames of the film
  double time(double place) const;
  double speed(double place) const;  // places that a frame of the film goes on

 private:
  double end_ = 0;  // the last place
  int frames_ = 0;
  double even_ = 1;            // places a frame of the film, without key frames of the speed
  double stretch_ = 1;         // of the time that the speed asks for, so that a length fits
  std::vector<double> times_;  // else: at kSteps points of every place, before it is stretched
};

}  // namespace tsukimi
