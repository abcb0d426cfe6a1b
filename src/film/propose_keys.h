// SPDX-License-Identifier: GPL-3.0-or-later
// Where key frames belong, and why there.
#pragma once

#include "film/light_plan.h"

namespace tsukimi {

enum class KeyReason { first, last, bend, lamps_on, lamps_off };
const char* words_of(KeyReason why);  // "light bends here"

struct ProposedKey {
  int frame;
  KeyReason why;
  bool operator==(const ProposedKey&) const = default;
};

// Frames for key frames in addition to those that the look has already, ascending: both ends, where
// lamps begin to show or go out (measure/lamps.h), and where the smooth course of the scene light
// bends. Together with those that are there `most` at the utmost, each at least 8 % of the sequence
// from its neighbours. lamps: of lamps_course(); empty: they are not looked for.
std::vector<ProposedKey> propose_keys(const Shoot& shoot, const LightPlan& plan,
                                      const std::vector<double>& lamps, int most);

// How much shines by itself, per kept frame (of long shoots of some, the rest between them): the
// slow half. Empty when a frame has not been measured.
std::vector<double> lamps_course(const Shoot& shoot, const LightGrids& grids);

}  // namespace tsukimi
