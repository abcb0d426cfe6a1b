// SPDX-License-Identifier: GPL-3.0-or-later
// How the sky turned over a sequence: found from its stars.
//
// Stars go round a pole once in a sidereal day. From the places of stars in all frames the pole,
// the focal length and the lens's radial distortion are fitted together (robust Gauss-Newton on the
// distance in the picture; stars are followed from frame to frame first). The rate is known; a
// frame in which enough stars are seen is turned as they say, so that a clock that is off or a
// tripod that shook does no harm; in others the sky goes on by the clock.
#pragma once

#include <string>
#include <vector>

#include "framing/sky_turn.h"

namespace tsukimi {

// A star as it is seen in a frame: fractions of the upright frame, and how bright.
struct SeenStar {
  Point at;
  double light = 0;  // above what is round it, in any unit
};

// One frame of what the fit is given.
struct StarFrame {
  double time = 0;              // the middle of its exposure, s; by it the sky goes
  std::vector<SeenStar> stars;  // brightest first
  bool same_camera = true;      // false: another lens, focal length or size than most
};

struct SkyFrame {
  Rotation turn = kNoRotation;  // of the sky since the first frame
  int stars = 0;                // that were seen where they should be
  bool by_stars = false;        // else by the clock
  bool valid = true;            // false: another camera or lens; nothing is known of it
};

enum class SkyProblem { none, few_frames, no_stars, few_stars, stands, no_fit };
struct SkyFit {
  SkyProblem problem = SkyProblem::no_stars;
  SkyLens lens;
  Ray pole{0, 0, 1};             // the sky turns about it, right-handed
  std::vector<SkyFrame> frames;  // as given; of Shoot::sky by their ids
  int stars = 0;                 // that were followed
  double left = 0;               // RMS of what is left, in widths of the frame
  // Stars of the first frame's place that turned, for who looks for where the sky is: fractions of
  // the frame, and of all frames, some thousands at most.
  std::vector<Point> seen;

  bool found() const { return problem == SkyProblem::none; }
  // From one frame to another, by their places in `frames`.
  Rotation between(int from, int to) const;
  // Fractions of the frame; nothing when it is behind the camera. The pole that is nearer.
  Point pole_on_frame() const;
};

constexpr double kSiderealDay = 86164.0905;  // s

// aspect: width over height of the frame. focal: in widths of the frame, as the metadata have it;
// 0: unknown. pixel: widths of one of the pictures that stars were found in, which says how exact
// they are. The result is the same on every run.
SkyFit fit_sky(const std::vector<StarFrame>& frames, double aspect, double focal,
               double pixel = 1.0 / 1500);

// What is to be said about a fit, one sentence each; frames counted from 1, as they stand in it.
std::vector<std::string> notes_of(const SkyFit& fit);

}  // namespace tsukimi
