// SPDX-License-Identifier: GPL-3.0-or-later
// Flicker that is not one factor for the whole frame: shapes that all frames share, and how much of
// each a frame has.
#pragma once

#include <vector>

#include "base/table.h"
#include "light/light.h"

namespace tsukimi {

// What is sought: found by itself where the data say so; also where it is small or may be something
// else; not at all.
enum class Uneven { automatic, on, off };
constexpr Words<Uneven> kUnevens{
    {{Uneven::automatic, "auto"}, {Uneven::on, "on"}, {Uneven::off, "off"}}};

constexpr double kLeastFlicker = 0.006;  // stops RMS over the picture; less is not looked for

// What is not one factor for the whole frame.
enum class FlickerKind { bands, part, colour };
constexpr Words<FlickerKind> kFlickerKinds{
    {{FlickerKind::bands, "bands"}, {FlickerKind::part, "part"}, {FlickerKind::colour, "colour"}}};

struct FlickerShape {
  FlickerKind kind = FlickerKind::part;
  GainField field;              // for an amount of 1
  std::vector<double> amounts;  // of each frame; 0 where nothing is known
};

// The mean over a cell of CellLight, stops.
float mean_in_cell(const GainField& field, int cell);

// What takes a course (stops of each frame; NaN: not known, which gets 0) to what of it is slower
// than `period` frames. axis: place of each frame in time, in intervals.
std::vector<double> fast_taken_out(const std::vector<double>& course,
                                   const std::vector<double>& axis, double period);

}  // namespace tsukimi
