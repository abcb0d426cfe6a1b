// SPDX-License-Identifier: GPL-3.0-or-later
// The frames of a sequence by their aperture. A grain's shadow changes with the aperture, so each
// group is searched alone; the evidence of all groups for one grain is then added up, by how a
// shadow changes from one aperture to another (repairs/repair.h, shadow_at).
#pragma once

#include "find_repairs/dust_moves.h"
#include "find_repairs/dust_slopes.h"

namespace tsukimi {

struct DustGroup {
  double aperture = 0;           // f-number; 0: not known, or of all there are
  std::vector<int> frames;       // of the stack
  FixedSlopes all, early, late;  // of what stays on the sensor while the tripod moves
  Layered gone_by;               // light against the same objects seen elsewhere (dust_moves.h)
};

// Of each aperture that enough frames have, ascending; of all together where none has.
std::vector<DustGroup> dust_groups(const DustStack& stack, const Work& work);

// A shadow that was found in one group, as it is at the aperture of another.
ShadowFit as_in(const ShadowFit& fit, const DustGroup& from, const DustGroup& to);

enum class Half { all, early, late };
// The share of a shadow that the tripod's movement confirms, over all groups.
Share borne_out(const std::vector<DustGroup>& groups, const ShadowFit& fit, const DustGroup& from,
                Half half = Half::all, int sector = -1);

}  // namespace tsukimi
