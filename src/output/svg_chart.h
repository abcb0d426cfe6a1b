// SPDX-License-Identifier: GPL-3.0-or-later
// Courses over the frames as an SVG picture that needs nothing else.
#pragma once

#include <string>
#include <vector>

namespace tsukimi {

struct ChartLine {
  std::string name, colour;    // a CSS colour
  std::vector<double> values;  // of each frame; NaN: a gap
};

struct Chart {
  std::string title, unit;
  std::vector<ChartLine> lines;
  std::vector<int> marks;  // frames that something is said of, from 0
};

std::string svg_of(const Chart& chart);

}  // namespace tsukimi
