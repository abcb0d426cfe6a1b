// SPDX-License-Identifier: GPL-3.0-or-later
// Flicker, found in the cells of all frames: what the steady parts of the picture share.
//
// Every cell has a course of its own: its levelled light, smoothed over capture time. What a frame
// has beyond that is looked at in all cells at once: one factor for the frame by iteratively
// reweighted least squares (Tukey's biweight). A cell weighs by how steady it is beside its
// neighbours: clouds, water and lamps weigh little by themselves, so that no steady area has to be
// drawn. Where a frame has two answers (lightning over a half of it) the one with more weight
// behind it is taken; the cells of the other take no part, and count as their own course has it.
#pragma once

#include <vector>

#include "light/uneven.h"
#include "measure/cell_light.h"

namespace tsukimi {

struct Flicker {
  // Of each frame, stops: what steady parts share, their slow change with it, up to a constant; NaN
  // where nothing can be measured.
  std::vector<double> course;
  std::vector<double> agreement;  // 0..1: the share of the weight that agrees with it
  double noise = 0;  // of the course, stops: what the cells' own scatter allows at best
  std::vector<FlickerShape> shapes;  // what is not the same over the frame, on top
  // Of each cell of CellLight: 1 / (its scatter against its neighbours, stops)^2; 0: it took no
  // part.
  std::vector<float> steady;
};

// axis: place of each frame in time, in intervals. stair: the camera's gain of each frame in stops,
// which is taken off. Fewer frames than kFewestForFlicker have no course: empty. In so few nobody
// can tell a cell's own course from what the frame does.
constexpr int kFewestForFlicker = 40;
Flicker find_flicker(const CellLight& cells, const std::vector<double>& axis,
                     const std::vector<double>& stair, Uneven uneven = Uneven::automatic);

// Takes shapes out of the light that they were found in.
void remove_shapes(CellLight& cells, const std::vector<FlickerShape>& shapes);

// The weight of each value in a smooth course: 1; less, to 0, where it stands apart from the
// nearest known ones on either side (two each): an isolated frame. A change that lasts, or a gap in
// time, is none. values: NaN where not known (0 then). expected: what the neighbours would have in
// its place.
struct Isolated {
  std::vector<double> weight, expected;
};
Isolated isolated_frames(const std::vector<double>& axis, const std::vector<double>& values);

}  // namespace tsukimi
