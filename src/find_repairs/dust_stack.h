// SPDX-License-Identifier: GPL-3.0-or-later
// The frames in which dust is looked for, as stops against the mean of the stops round each pixel.
#pragma once

#include <functional>
#include <vector>

#include "base/parallel.h"
#include "base/result.h"
#include "motion/sloped_frame.h"
#include "proxy/proxy.h"

namespace tsukimi {

struct DustFrame {
  double aperture = 0;  // f-number; 0: not known
  std::function<Result<std::shared_ptr<const Proxy>>()> proxy;
};

// Of one frame: stops times kUnit, row by row.
using Relative = std::vector<std::int16_t>;

// Several frames of one size, or pictures made from them.
struct Layered {
  static constexpr float kUnit = 4096;
  static constexpr std::int16_t kNotKnown = -32768;  // too dark, or clipped
  static constexpr int kFewest = 10;                 // known values of a pixel that are enough
  static std::int16_t stored(float stops);

  int width = 0, height = 0;
  std::vector<Relative> frames;

  std::size_t index(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
           static_cast<std::size_t>(x);
  }
  std::vector<int> all() const;
  // The median of some frames at each pixel, in stops; 0 where fewer than half of kFewest are
  // known.
  Plane medians(const std::vector<int>& which) const;
  Plane medians(const std::vector<int>& which, int x0, int y0, int w, int h) const;
};

// Sigma by which frames are smoothed before their movement is measured, pixels.
struct DustStack : Layered {
  double covered = 1;             // of the width, by the frame
  std::vector<double> apertures;  // of each frame
  std::vector<int> numbers;       // of each, among those given
  // Of one frame; known: 1, else 0.
  struct Stops {
    Plane stops, known;
  };
  Stops stops_of(int k) const;
  SlopedFrame sloped(int k) const;
  // Whether it is the next shot after the one before it.
  bool follows(int k) const {
    return k > 0 &&
           numbers[static_cast<std::size_t>(k)] == numbers[static_cast<std::size_t>(k - 1)] + 1;
  }
};

// Spots are at most this large, in pixels of a frame of the stack; what lies round is larger.
int largest_dust(int width);

// A frame as the stack has it, but for the smoothing: camera RGB, of a width that is enough.
Image dust_copy(const Proxy& proxy);

// At most 120 frames: of more, runs of frames that follow each other, spread over all. Those that
// cannot be read are passed over.
DustStack read_dust_stack(const std::vector<DustFrame>& frames, const Work& work);

}  // namespace tsukimi
