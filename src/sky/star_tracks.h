// SPDX-License-Identifier: GPL-3.0-or-later
// Points followed from frame to frame.
#pragma once

#include "sky/sky_fit.h"

namespace tsukimi {

// One point of light, frame after frame.
struct StarTrack {
  struct Seen {
    int frame;
    Point at;  // fractions of the frame
  };
  std::vector<Seen> seen;  // ascending
};

// Nearest to where it should be by its way so far, each the other's nearest; one that is not seen
// in a few frames goes on. Tracks of fewer than three are left out.
std::vector<StarTrack> follow_stars(const std::vector<StarFrame>& frames, double aspect);

// Takes out what all of them do together from frame to frame, as a tripod in the wind: the median
// of what they are off their parabolas.
void take_out_shaking(std::vector<StarTrack>& tracks, const std::vector<StarFrame>& frames,
                      double aspect);

// Whether it goes on as a star does, slowly bending, and not to and fro as what glitters: its
// places are off a parabola over time by less than `exact` (widths) and a fifth of the way it has
// come.
bool goes_as_a_star(const StarTrack& track, const std::vector<StarFrame>& frames, double aspect,
                    double exact);

// How far a point has come, in widths of the frame.
double way_of(const StarTrack& track, double aspect);

}  // namespace tsukimi
