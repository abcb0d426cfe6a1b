// SPDX-License-Identifier: GPL-3.0-or-later
// Parts of the picture that flicker by themselves (a lamp, half of it in the shade of an aperture
// blade): smooth patterns, each with an amount in every frame.
#pragma once

#include "light/cell_courses.h"
#include "light/frame_fit.h"
#include "light/light.h"

namespace tsukimi {

// The patterns of at most three parts, the strongest first. known: shapes that explain something
// already. Only what is white in time and stands out of the cells' noise; eager: also what is small
// or goes on from frame to frame.
std::vector<GainField> find_parts(const CellCourses& cells, const ShapesAtCells& known, bool eager);

}  // namespace tsukimi
