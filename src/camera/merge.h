// SPDX-License-Identifier: GPL-3.0-or-later
// Shots of one moment that differ in exposure become one frame, in sensor light and before anything
// else: of every pixel the mean of what each shot says, in units of the frame's own exposure,
// weighted by how well it knows it (1 / variance, by shot and read noise) and by how far it is from
// clipping (after Debevec & Malik 1997; Granados et al. 2010). Weights are those of a cell of the
// colour pattern with its neighbours, so that no colour is taken from another shot than its
// neighbour. Where all are clipped the darkest counts, which is then clipped too. Where something
// moved meanwhile one shot counts alone: the frame's own, or where that is clipped a darker one.
#pragma once

#include <cstdint>
#include <vector>

#include "camera/sensor_frame.h"

namespace tsukimi {

// By what shots are merged.
struct MergeInfo {
  static constexpr int kAcross = 96, kDown = 64;
  // Of each shot but the frame's own: by how many stops it is brighter. NaN: not known.
  std::vector<float> stops;
  // Where something moved, 0..255, over the frame as it lies in the file: kAcross * kDown. Empty:
  // nowhere.
  std::vector<std::uint8_t> moving;
  bool operator==(const MergeInfo&) const = default;
};

struct MergeShot {
  SensorFrame frame;  // with its light (make_light)
  double stops = 0;   // by which it is brighter than the frame
  double iso = 100;
};

// The first shot is the frame itself (0 stops): size, colour and orientation are its own. The
// result's headroom is how far the darkest shot lies below it. All must be of one size and kind,
// which is what check_mergeable says. moving: as above.
SensorFrame merge(std::vector<MergeShot> shots, const std::vector<std::uint8_t>& moving = {});

// Whether a shot can be merged with the frame; a sentence's end when not ("is 600×400, ...").
Result<void> check_mergeable(const SensorFrame& frame, const SensorFrame& shot);

// How much brighter each shot is than the first by what both know well, stops; the median over a
// grid. NaN where too little of the picture can be compared.
std::vector<float> measure_stops(const std::vector<MergeShot>& shots);

// Where shots differ by more than their noise and than two per cent of the light, of those that
// know the light there: 255, else 0.
std::vector<std::uint8_t> find_moving(const std::vector<MergeShot>& shots);
// With a cell's width round it, so that soft masks reach beyond what moved.
std::vector<std::uint8_t> widened(const std::vector<std::uint8_t>& moving);

}  // namespace tsukimi
