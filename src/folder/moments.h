// SPDX-License-Identifier: GPL-3.0-or-later
// Moments: shots of one instant that differ in exposure, a bracket, are one frame of the shoot. The
// frame is the shot in the middle, FrameInfo::others are the rest of them.
#pragma once

#include <string>
#include <vector>

#include "camera/frame_info.h"

namespace tsukimi {

constexpr int kMostShots = 9;  // of a moment

// A shot that belongs to the moment before (-1) or after (1), not to its own.
struct MovedShot {
  std::string file;
  int by = 0;
  bool operator==(const MovedShot&) const = default;
};

// How far the picture of a shot lies from that of its frame's own shot, FrameInfo::dx and dy.
struct ShotOffset {
  std::string file;
  double dx = 0, dy = 0;
  bool operator==(const ShotOffset&) const = default;
};

// How shots are put into moments.
struct Bracketing {
  int set_size = 1;  // shots of a moment, 1..kMostShots; 1: each is a frame
  double pause = 0;  // s from the end of a shot to the next that parts moments; 0: exposures do
  int exposure = 0;  // which shot of every moment is the frame, from 1; 0: all of them, merged
  std::vector<MovedShot> moved = {};
  bool aligned = false;  // they are laid onto each other before they are merged, by
  std::vector<ShotOffset> offsets = {};
  bool operator==(const Bracketing&) const = default;
};

// What brackets these shots are, in their order: by the pauses between them where those part them,
// else by the exposures alone. set_size 1 where they are none.
Bracketing find_brackets(const std::vector<FrameInfo>& shots);

// Moments of shots in order, each its frame. Shots that cannot be used are frames of their own.
std::vector<FrameInfo> group_moments(std::vector<FrameInfo> shots, const Bracketing& how);

// Says of the frames of moments whether they are merged, and as which exposure: that of the frames
// of regular ones. Part of group_moments(); where moments come from a file.
void settle_moments(std::vector<FrameInfo>& frames, const Bracketing& how);

// All shots of frames again, in the order of capture within each.
std::vector<FrameInfo> shots_of(const std::vector<FrameInfo>& frames);

// The moments counted, and those that are not like the others.
struct MomentReport {
  struct Irregular {
    int frame = 0;
    std::string why;  // "2 of 3 shots: +2 stops is missing"
  };
  int files = 0, moments = 0, set_size = 1;
  std::vector<double> stops;  // of a regular moment's shots in order, against its frame
  std::vector<Irregular> irregular;
  bool whole() const { return irregular.empty() && files == moments * set_size; }
};
MomentReport report_moments(const std::vector<FrameInfo>& frames, const Bracketing& how);

// Reads anew what is known of a frame and of its other shots. What keeps one of them from being
// used keeps the frame, where they are merged.
FrameInfo read_again(const std::filesystem::path& folder, const FrameInfo& frame);

// The name of the first and of the last shot of a frame.
const std::string& first_file(const FrameInfo& frame);
const std::string& last_file(const FrameInfo& frame);

}  // namespace tsukimi
