// SPDX-License-Identifier: GPL-3.0-or-later
// Noise shrinkage in the undecimated wavelet of the B3 spline ("a trous": Starck & Murtagh 1994),
// row by row: of every scale only the few rows are kept that the next one needs, so that the work
// stays in the cache.
#pragma once

#include <functional>
#include <vector>

#include "image/image.h"

namespace tsukimi {

constexpr int kMostScales = 5;

// One scale: waves are what a picture has beyond its smoother copy. Those whose 3x3 surroundings
// hold no more energy than noise of `sigma` go, stronger ones stay by the local Wiener rule.
class WaveWindow {
 public:
  using Row = std::function<const float*(int y)>;
  WaveWindow(Size size, double sigma);

  // out = base + what stays of row y; out may be the base. Rows come in order, the same wherever
  // one begins; of both pictures the rows beside it must be there too. share: by how much more or
  // less energy counts as noise at each pixel; none: by as much as sigma says.
  void add(int y, const Row& fine, const Row& smooth, const float* base, float* out,
           const float* share = nullptr);

 private:
  float* square(int y) { return squares_.data() + static_cast<std::size_t>(y % 3) * size_.width; }

  Size size_;
  float floor_;     // energy of noise in a window
  int known_ = -1;  // last row whose squares are there
  std::vector<float> squares_, energy_;
};

class WaveletShrink {
 public:
  // sigma: of noise at the plane's own pixels, uncorrelated. scales: 1..kMostScales. Rows come in
  // order, from first_row on. The plane must outlive it.
  WaveletShrink(const Plane& in, double sigma, int scales, int first_row);

  void next_row(float* out, const float* share = nullptr);

 private:
  struct Scale {
    int step;      // distance of the spline's taps
    int next;      // first row of the smoother picture that is not there yet
    int capacity;  // of its ring of rows
    Pixels<float> smooth;
    WaveWindow window;
  };
  float* smooth_row(int scale, int y);
  const float* fine_row(int scale, int y);  // of the picture before this scale
  void smooth_to(int scale, int last);

  const Plane& in_;
  int y_;
  std::vector<Scale> scales_;  // the coarsest first
  std::vector<float> line_;
};

// The whole plane, on all cores. share: as above, of the same size.
Plane shrink_waves(const Plane& in, double sigma, int scales, const Plane* share = nullptr);

}  // namespace tsukimi
