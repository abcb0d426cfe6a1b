// SPDX-License-Identifier: GPL-3.0-or-later
// Where the steadied camera stands: as if on rock, or moving smoothly without shaking.
//
// The smooth path is the Whittaker smoother of the measured one, as for brightness
// (light/deflicker.h), with the shortest movement that is kept in frames. A bump after which the
// tripod stands elsewhere is no movement: it is found (a step between two frames that lines on
// either side of it do not explain; Bai & Perron 1998 choose how many in this way) and taken out
// before smoothing, so that it goes wholly.
#pragma once

#include <vector>

#include "base/table.h"
#include "framing/geometry.h"
#include "motion/similarity.h"

namespace tsukimi {

// stars: as if on an axis that goes with the sky (sky/sky_fit.h), not on the ground.
enum class Steadying { off, hold, drift, stars };
constexpr Words<Steadying> kSteadyings{{{Steadying::off, "off"},
                                        {Steadying::hold, "hold"},
                                        {Steadying::drift, "drift"},
                                        {Steadying::stars, "stars"}}};

constexpr double kLeastPeriod = 3, kMostPeriod = 2000;  // frames

struct SteadySettings {
  Steadying how = Steadying::off;
  double period = 60;       // frames: the shortest movement that is kept
  std::vector<Rect> areas;  // that are followed; none: what stands still is found
  bool operator==(const SteadySettings&) const = default;
};

// moves: of each frame against one and the same, in widths of the frame; counts: 1 for those that
// the film has, 0 for others. The result is of the same kind; hold: midway between the farthest, so
// that the least is lost at the borders.
std::vector<Similarity> steady_path(const std::vector<Similarity>& moves,
                                    const std::vector<double>& counts, Steadying how,
                                    double period);

// The frames at which the tripod stood elsewhere than before, ascending.
std::vector<int> find_bumps(const std::vector<Similarity>& moves,
                            const std::vector<double>& counts);

}  // namespace tsukimi
