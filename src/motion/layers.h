// SPDX-License-Identifier: GPL-3.0-or-later
// What of a picture stands still, decided over a run of frames and not from one to the next: a sky
// that drifts over half of the picture looks like a camera that turns to every single pair.
//
// Each block of the picture is followed by itself (Lucas & Kanade 1981). Blocks that go the same
// way over the run are a layer (Wang & Adelson 1994); of those that have something to say the
// slowest is the ground: what shakes comes back, what drifts does not.
#pragma once

#include <span>
#include <vector>

#include "motion/sloped_frame.h"

namespace tsukimi {

constexpr int kBlocksAcross = 16, kBlocksDown = 12;
constexpr int kLeastBlockSide = 14;  // pixels: smaller blocks have nothing to be followed by

// How a block of b lies against that of a: pixels.
struct BlockMove {
  double x = 0, y = 0;
  bool known = false;  // false: too little structure, or nothing in b fits
};

// Of all blocks, row by row. Looked for round `about` and round no movement; some four pixels are
// found.
std::vector<BlockMove> block_moves(const SlopedFrame& a, const SlopedFrame& b, const Shift& about);
// How those of them that stand still have moved together; not known where hardly one can be
// followed.
Shift shift_of(const SlopedFrame& a, const SlopedFrame& b, const Shift& about,
               std::span<const char> still);

struct Layers {
  std::vector<char> still;   // of each block; empty: all of the picture moves as one
  std::vector<char> moving;  // likewise of the largest other layer
  std::vector<Shift> about;  // of each step, where whole pictures seem to have gone
  double speed = 0;          // px a step by which even that goes on
  bool comes_back = true;    // false: all that can be followed goes on and on
  bool soft = false;         // what stands still is too soft to be followed
  double other = 0;          // share of the blocks with structure that go otherwise together
};

// steps: of a run of frames, each against the one before it in the run.
Layers find_layers(std::span<const std::vector<BlockMove>> steps);

// The pixels of what stands still: 1, else 0, as fine as the skyline is. frames: of the run, each a
// step from the one before it; layers: of these steps, with `about`, and not of one layer alone.
Plane still_pixels(std::span<const SlopedFrame> frames, const Layers& layers);

// Where nothing comes back: what is too soft to be followed, but lies better where it lay than
// where the rest goes. A camera that pans takes all of the picture along; clouds that fill it do
// not. The layers as they are where there is nothing of that kind.
Layers with_left_behind(std::span<const SlopedFrame> frames,
                        std::span<const std::vector<BlockMove>> steps, Layers layers);

}  // namespace tsukimi
