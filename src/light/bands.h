// SPDX-License-Identifier: GPL-3.0-or-later
// Bands: a rolling shutter draws the beat of lamps as a wave down the frame (across it, where the
// camera stood upright), with one number of cycles in all frames and another phase in each.
#pragma once

#include <optional>

#include "light/cell_courses.h"
#include "light/light.h"

namespace tsukimi {

// The wave that explains enough of what rows (or columns) of cells have beyond their courses, if
// there is one: with sine and cosine 0. eager: also one that is small or not surely flicker.
std::optional<GainField::Wave> find_bands(const CellCourses& cells, bool eager);

}  // namespace tsukimi
