// SPDX-License-Identifier: GPL-3.0-or-later
// How well a shot knows the light: what merging and measuring shots against each other share.
#pragma once

#include <algorithm>
#include <cmath>

#include "camera/merge.h"

namespace tsukimi {

// Of a sensor of today, at ISO 100; only how shots compare matters.
constexpr float kShotWell = 50000, kShotRead = 3.5f;  // electrons
// Light counts less and less from the one to the other.
constexpr float kSureBelow = 0.75f, kClippedFrom = 0.93f;  // of clipping

// One shot as it is merged.
struct Exposed {
  const SensorFrame* frame;
  float to_frame;     // from its light to the frame's
  float per_well;     // 1 / electrons at clipping
  float read_square;  // variance of read noise, of its light
};

inline Exposed exposed(const MergeShot& shot) {
  const auto well = static_cast<float>(kShotWell * 100 / std::max(shot.iso, 25.0));
  return {&shot.frame, static_cast<float>(std::exp2(-shot.stops)), 1 / well,
          kShotRead * kShotRead / (well * well)};
}

}  // namespace tsukimi
