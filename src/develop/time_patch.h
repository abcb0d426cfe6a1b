// SPDX-License-Identifier: GPL-3.0-or-later
// Filling an area with light of other frames. They are brought to lie on each other by how the
// camera moved (motion/track.h), in camera RGB, where light between pixels is known best.
#pragma once

#include <functional>

#include "develop/repair_geometry.h"

namespace tsukimi {

// Where a place of one picture lies in another one of the same size, in pixels.
class PlaceIn {
 public:
  PlaceIn(const RepairGeometry& pictures, const Similarity& here, const Similarity& there);
  bool same() const { return same_; }
  Point operator()(double x, double y) const {
    return {zero_.x + x * across_.x + y * down_.x, zero_.y + x * across_.y + y * down_.y};
  }

 private:
  bool same_;
  Point zero_, across_, down_;  // of the upper left corner; of a step of a pixel
};

// The area in a picture, with what lies round it.
class PatchPlace {
 public:
  PatchPlace(const AreaAt& area, const RepairGeometry& in);
  bool is_around(int x, int y) const;  // outside of it and of where it fades
  int x0 = 0, y0 = 0, x1 = 0, y1 = 0;  // of the patch, in pixels; even at the upper left

 private:
  CoverShape shape_;
};

// The light there of a frame, whose places lie as `to` says.
TimePatch patch_of(const SensorFrame& frame, const PatchPlace& place, const PlaceIn& to);
TimePatch patch_of(const Image& camera, const PatchPlace& place, const PlaceIn& to);

// Covers with what lies before and after in time, brought to the light of this frame by what lies
// round the area.
void fill_from_time(const Channel& channel, const RepairGeometry& in, const TimeSources& time,
                    const Cover& cover);

}  // namespace tsukimi
