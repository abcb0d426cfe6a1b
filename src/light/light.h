// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of light that are applied to a frame in sensor light: what levelling and deflicker
// decide.
#pragma once

#include <array>
#include <vector>

namespace tsukimi {

// Light that changes smoothly over the frame: stops as a sum of cosines (a discrete cosine series),
// coefficient (i, j) times cos(pi i x) cos(pi j y), x and y from 0 to 1 over the upright frame.
struct GainField {
  int across = 0, down = 0;          // how many; 0: none
  std::vector<double> coefficients;  // in stops, row by row
  bool empty() const { return coefficients.empty(); }
  double stops_at(double x, double y) const;
  bool operator==(const GainField&) const = default;
};

struct Light {
  double stops = 0;
  std::array<double, 3> channel_stops{};  // of the camera's red, green and blue, on top
  GainField field;                        // and this
  bool operator==(const Light&) const = default;
};

}  // namespace tsukimi
