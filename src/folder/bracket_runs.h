// SPDX-License-Identifier: GPL-3.0-or-later
// Stretches of shots that are exposure brackets, among those that are not.
#pragma once

#include "folder/shot_groups.h"

namespace tsukimi {

struct BracketRun {
  std::size_t length = 0;  // shots; 0: no brackets begin there
  std::size_t period = 0;  // shots of a set
};

// From shots[k] on: at least three sets of one pattern to begin with; sets that lack a shot, or
// have one too many, do not end it.
BracketRun bracket_run_at(const Shots& shots, std::size_t k);

}  // namespace tsukimi
