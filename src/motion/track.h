// SPDX-License-Identifier: GPL-3.0-or-later
// How every frame of a sequence lies, from how pairs of them lie on each other.
#pragma once

#include <vector>

#include "framing/geometry.h"
#include "motion/similarity.h"

namespace tsukimi {

// Frame `to` against frame `from`, a few frames before it.
struct MotionPair {
  int from = 0, to = 0;
  Similarity move;  // lengths in widths of the frame
  double doubt = 0;
  bool turns = false;     // turn and scale are no accident of that pair
  Similarity shift = {};  // without them where they may be
};

// Against the first frame that is known: content of that at p lies in this one at move(p).
struct FrameMotion {
  Similarity move;
  bool known = false;  // false: as the frames round it have it
  bool operator==(const FrameMotion&) const = default;
};

// In widths of the frame.
struct MotionFit {
  double left = 0;  // RMS of the difference between pairs and the solution
  // Of the pairs that are farthest apart, in the middle of them: how far parts of the picture
  // disagree with its movement, and how far that goes.
  double doubt = 0, step = 0;
  // Share of the picture that goes otherwise than what was followed while that goes on too; 0: what
  // was followed comes back, or all goes as one.
  double parted = 0;
};

struct MotionTrack {
  std::vector<FrameMotion> frames;
  MotionFit fit;
  std::vector<Rect> areas;  // that were followed; none: what stands still was found
};

// One movement does not explain the picture: near and far move differently (parallax), or what is
// left is too much for what was followed to be rigid.
bool does_not_fit(const MotionFit& fit);

// Jointly over all pairs by iteratively reweighted least squares, so that errors do not add up and
// no single frame can jump.
MotionTrack solve_track(int frames, const std::vector<MotionPair>& pairs);

// The same track with what adds up over many frames taken from another one, which holds every
// `every`th frame of it: from frame to frame it is `near`, over hundreds of frames `far`.
MotionTrack with_far(MotionTrack near, const MotionTrack& far, int every);

}  // namespace tsukimi
