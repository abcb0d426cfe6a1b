// SPDX-License-Identifier: GPL-3.0-or-later
// What frames of one aperture tell of the dust on the sensor. A grain's shadow is another one
// through another aperture, so that each is seen by itself; what they say of one grain is added up
// by how shadows go with the aperture.
#pragma once

#include "find_repairs/dust_moves.h"
#include "find_repairs/dust_slopes.h"

namespace tsukimi {

struct DustGroup {
  double aperture = 0;           // f-number; 0: not known, or of all there are
  std::vector<int> frames;       // of the stack
  FixedSlopes all, early, late;  // what the tripod's movement tells
  Layered gone_by;               // what things tell that go by (dust_moves.h)
};

// Of each aperture that enough frames have, ascending; of all together where none has.
std::vector<DustGroup> dust_groups(const DustStack& stack, const Work& work);

// A shadow as it is through the aperture of another group.
ShadowFit as_in(const ShadowFit& fit, const DustGroup& from, const DustGroup& to);

enum class Half { all, early, late };
// Of a shadow that was seen in one of the groups: what the movement bears out of it, in all.
Share borne_out(const std::vector<DustGroup>& groups, const ShadowFit& fit, const DustGroup& from,
                Half half = Half::all, int sector = -1);

}  // namespace tsukimi
