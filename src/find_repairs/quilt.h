// SPDX-License-Identifier: GPL-3.0-or-later
// What covers a large area when no single other place of the picture fits all of it.
//
// A shift map (He & Sun, "Statistics of patch offsets for image completion", ECCV 2012): a few
// offsets that fit parts of the border, one of them for each cell of a grid, so that cells fit what
// is known next to them and neighbours fit each other, in several frames of the sequence at once;
// solved by min-sum belief propagation.
#pragma once

#include <vector>

#include "image/image.h"
#include "repairs/repair.h"

namespace tsukimi {

struct PixelOffset {
  int dx = 0, dy = 0;
};

struct QuiltChoice {
  Quilt quilt;        // empty: the first offset alone is as good
  double alone = 0;   // energy with the first offset everywhere
  double energy = 0;  // with the quilt
};

// samples: frames of one size, square roots of light. polygon: in fractions. offsets: the first is
// the best one for all of the area; those that lie outside of the picture are left out cell by
// cell.
QuiltChoice choose_quilt(const std::vector<Image>& samples, const std::vector<Point>& polygon,
                         const std::vector<PixelOffset>& offsets);

// The offset of the cell in which a place lies, or of the nearest cell.
Point offset_at(const Quilt& quilt, const Point& place);

// Whether an area is large enough to be covered from several places.
bool may_need_quilt(const std::vector<Point>& polygon, Size picture);

}  // namespace tsukimi
