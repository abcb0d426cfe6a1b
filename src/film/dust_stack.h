// Frames of a sequence as dust is looked for in them: light against what lies round it.
#pragma once

#include <functional>
#include <vector>

#include "base/parallel.h"
#include "base/result.h"
#include "motion/fixed_pattern.h"
#include "proxy/proxy.h"

namespace tsukimi {

struct DustFrame {
  double aperture = 0;  // f-number; 0: not known
  std::function<Result<std::shared_ptr<const Proxy>>()> proxy;
};

// Of one frame: stops times kUnit, row by row.
using Relative = std::vector<std::int16_t>;

struct DustStack {
  static constexpr float kUnit = 4096;
  static constexpr std::int16_t kNotKnown = -32768;  // too dark, or clipped
  static constexpr int kFewest = 10;                 // frames that say something

  int width = 0, height = 0;
  double covered = 1;                       // of the width, by the frame
  std::vector<Relative> frames, red, blue;  // of brightness; of the colours against green
  std::vector<double> apertures;
  std::vector<int> numbers;  // of the frame, among those given

  std::size_t index(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
           static_cast<std::size_t>(x);
  }
  std::vector<int> all() const;
  // The middle of what is known of some frames, in stops; 0 where hardly anything is.
  Plane medians(const std::vector<Relative>& of, const std::vector<int>& which) const;
  Plane medians(const std::vector<Relative>& of, const std::vector<int>& which, int x0, int y0,
                int w, int h) const;
};

// Spots are at most this large, in pixels of a proxy; what lies round is larger.
int largest_dust(int width);

// At most 120 frames: of more, runs of frames that follow each other, spread over all. Those that
// cannot be read are passed over.
DustStack read_dust_stack(const std::vector<DustFrame>& frames, const Work& work);

// What lies on the sensor, by the tripod's movement, of each of some parts of the frames: three
// frames of a part that follow each other count, but those that do not fit their neighbours.
// part: of each frame of the stack, 0..parts.
std::vector<FixedPattern> fixed_patterns(const DustStack& stack, const std::vector<int>& part,
                                         int parts, const Work& work);

}  // namespace tsukimi
