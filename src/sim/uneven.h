// SPDX-License-Identifier: GPL-3.0-or-later
// Light that is not one factor for the whole frame: lamps whose beat a rolling shutter draws as
// bands, an aperture or a lamp that flickers in a part of the picture, colours that flicker apart,
// lightning; and a shutter that was not what the metadata tell.
#pragma once

#include <array>
#include <vector>

namespace tsukimi::sim {

struct CameraOptions;
struct Shot;

struct UnevenOptions {
  double banding = 0;  // per cent of light: amplitude of a sine over the rows, of any phase
  double part = 0;     // per cent, standard deviation of the left half's own factor
  double colour = 0;   // per cent, standard deviation of red's and of blue's own factor
  int lightning = 0;   // frames in which lightning brightens the upper half
  int slips = 0;       // frames whose shutter was two stops off, which the metadata do not tell
};

// Of one shot, each as a factor of light.
struct Uneven {
  double banding = 0, phase = 0;  // 1 + banding sin(2 pi (kBands y + phase)), y from 0 to 1
  double left = 1;                // of the left half, with a soft edge
  std::array<double, 3> channel{1, 1, 1};  // of the camera's red, green and blue
  double lightning = 1;                    // of the upper half, with a soft edge
  double slip = 0;                         // stops of the shutter that nobody tells
  static constexpr double kBands = 2.3;    // over the height
  double at_row(double y) const;           // 0..1 down the frame
  double at_column(double x) const;        // 0..1 across
  bool any() const { return *this != Uneven{}; }
  bool operator==(const Uneven&) const = default;
};

// What happens to these shots; lightning and slips at shots that nothing else happens to.
void plan_uneven(const CameraOptions& options, std::vector<Shot>& shots);

}  // namespace tsukimi::sim
