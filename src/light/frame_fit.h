// SPDX-License-Identifier: GPL-3.0-or-later
// What the cells of one frame have in common: a factor, and how much of each shape that flicker may
// have, by iteratively reweighted least squares (Tukey's biweight).
#pragma once

#include <array>
#include <vector>

#include "light/cell_courses.h"
#include "light/light.h"

namespace tsukimi {

constexpr int kMostShapes = 6;

// Of each shape its stops at every cell, for an amount of 1; CellCourses::row() long.
using ShapesAtCells = std::vector<std::vector<float>>;

struct FrameFit {
  double stops = 0;  // NaN where no cell is known
  std::array<double, kMostShapes> amounts{};
  double agreement = 0;  // 0..1: the share of the steady weight that agrees
  // What the cells have in common, stops; row() long.
  void common(const ShapesAtCells& shapes, std::size_t row, float* out) const;
};

// A frame that has two answers (lightning over a half of it) gets the one with more weight behind
// it. shapes: at most kMostShapes.
FrameFit fit_frame(const CellCourses& cells, int frame, const ShapesAtCells& shapes);
std::vector<FrameFit> fit_frames(const CellCourses& cells, const ShapesAtCells& shapes);

// A shape, at the cells.
std::vector<float> at_cells(const CellCourses& cells, const GainField& field);

}  // namespace tsukimi
