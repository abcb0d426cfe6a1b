// SPDX-License-Identifier: GPL-3.0-or-later
// What covers an area from several places of the picture (repairs/repair.h, Quilt): between the
// middles of its cells neighbours are mixed, so that no cell has an edge.
#pragma once

#include "develop/cover.h"
#include "develop/repair_geometry.h"

namespace tsukimi {

class QuiltLight {
 public:
  // All of them must outlive it.
  QuiltLight(const Quilt& quilt, const RepairGeometry& in, const Channel& channel);
  float at(int x, int y) const;  // a pixel of the picture; of a mosaic, one of the channel

 private:
  // Two cells that a place lies between, and how far over to the second.
  struct Between {
    int first = 0;
    float part = 0;
    Between(double at, double from, double cell, int count);
  };
  const Quilt& quilt_;
  const Channel& channel_;
  Point origin_, across_, down_;              // of the upright frame, in pixels of the picture
  std::vector<std::pair<int, int>> offsets_;  // even: red covers red
};

}  // namespace tsukimi
