// SPDX-License-Identifier: GPL-3.0-or-later
// How much flicker is in the pictures, measured block by block from the pictures themselves: an
// error of the estimate shows, which a course that is smoothed once more cannot see.
//
// For every block of 4x4 cells of the light grid and every three frames in a row, the middle one's
// departure from the straight line between the others, in stops of log light plus corrections:
// second differences, scaled so that independent values of sigma s give s (divided by sqrt(6) for
// even spacing). What the cells of a block do not share is noise; its part in the block's mean is
// taken out. Frames that stand alone in the pictures (lightning) and what spans a gap do not count.
#pragma once

#include <vector>

#include "proxy/proxy.h"

namespace tsukimi {

// RMS over the frames, in per cent of light; median and 90th percentile over the blocks. 0 where
// nothing can be measured.
struct FlickerLeft {
  double before_median = 0, before_p90 = 0;  // without the correction of flicker
  double left_median = 0, left_p90 = 0;      // with it
  double worse_share = 0;  // 0..1 of the blocks: those that it made worse, so that it may be seen
};

// A correction that is not the same over the picture: its stops in the middle of every block for an
// amount of 1, and the amount of each frame.
struct BlockPattern {
  static constexpr int kAcross = LightGrid::kColumns / 4, kDown = LightGrid::kRows / 4;
  std::vector<double> at_block;  // kAcross * kDown, row by row
  std::vector<double> amounts;
};

// One entry per frame, in order: the grid (none: not measured), its place in time in intervals, the
// correction without and with that of flicker (stops); patterns: what that has on top.
FlickerLeft measure_flicker_left(const std::vector<const LightGrid*>& grids,
                                 const std::vector<double>& axis,
                                 const std::vector<double>& without,
                                 const std::vector<double>& with,
                                 const std::vector<BlockPattern>& patterns = {});

}  // namespace tsukimi
