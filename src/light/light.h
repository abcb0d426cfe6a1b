// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of light that are applied to a frame in sensor light: what levelling and deflicker
// decide.
#pragma once

#include <array>
#include <vector>

namespace tsukimi {

// Light that changes over the upright frame, in stops. Smoothly, as a sum of cosines (a discrete
// cosine series): coefficient (i, j) times cos(pi i x) cos(pi j y), x and y from 0 to 1. And as a
// wave down or across it, which is what a rolling shutter makes of the beat of lamps.
struct GainField {
  int across = 0, down = 0;          // coefficients; 0: none
  std::vector<double> coefficients;  // row by row
  struct Wave {
    bool across = false;
    double cycles = 0;            // over the whole side; 0: none
    double sine = 0, cosine = 0;  // times sin and cos (2 pi cycles x, or y)
    bool operator==(const Wave&) const = default;
  } wave;

  bool empty() const { return coefficients.empty() && wave.cycles == 0; }
  double stops_at(double x, double y) const;
  // The finest there is, in cycles over the frame's width and height.
  double cycles_across() const;
  double cycles_down() const;
  double rms() const;  // over the frame, stops
  // Adds `amount` times another one, of as many coefficients and as many cycles (or none).
  void add(const GainField& other, double amount);
  bool operator==(const GainField&) const = default;
};

struct Light {
  double stops = 0;
  std::array<double, 3> channel_stops{};  // of the camera's red, green and blue, on top
  GainField field;                        // and this
  bool operator==(const Light&) const = default;
};

}  // namespace tsukimi
