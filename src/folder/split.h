// SPDX-License-Identifier: GPL-3.0-or-later
// Several sequences in one folder: where one ends and the next begins.
//
// A part ends where the camera, the picture's size, the lens or the focal length changes for good,
// where nothing was taken for much longer than the interval, or where the interval itself changes
// (unless the shutter explains it: a camera that waits between exposures slows down at dusk).
// Exposure brackets are found first, by their repeating pattern, and stay whole.
#pragma once

#include <string>
#include <vector>

#include "base/table.h"
#include "camera/frame_info.h"

namespace tsukimi {

enum class PartKind { sequence, brackets, singles };
constexpr Words<PartKind> kPartKinds{{{PartKind::sequence, "sequence"},
                                      {PartKind::brackets, "brackets"},
                                      {PartKind::singles, "singles"}}};

struct Part {
  PartKind kind = PartKind::sequence;
  std::vector<int> frames;  // indices, ascending
  int per_moment = 1;       // shots of one bracket
  double interval = 0;      // median s between frames (moments, for brackets); 0: unknown
  std::string why;          // why it begins here: "after a pause of 18 min"; empty for the first

  // Of brackets: about, where some lack a shot (folder/moments.h counts them).
  int moments() const { return (static_cast<int>(frames.size()) + per_moment / 2) / per_moment; }
};

// `frames` in order. Every frame is in exactly one part. Never empty unless `frames` is.
std::vector<Part> split_sequences(const std::vector<FrameInfo>& frames);

// By hand. Indices outside the list change nothing.
void merge_parts(const std::vector<FrameInfo>& frames, std::vector<Part>& parts, std::size_t first);
// `at`: place within the part where the second half begins.
void split_part(const std::vector<FrameInfo>& frames, std::vector<Part>& parts, std::size_t part,
                std::size_t at);
// Moves the end of a part by so many frames (negative: to the next part), at least one staying.
void move_boundary(const std::vector<FrameInfo>& frames, std::vector<Part>& parts, std::size_t part,
                   int by);

// "26 frames every 20 s", "9 brackets of 3 every 30 s", "4 single pictures".
std::string describe(const Part& part);

}  // namespace tsukimi
