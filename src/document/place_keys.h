// SPDX-License-Identifier: GPL-3.0-or-later
// The key frames of a place: of its values and of its shapes together, as a person sees them.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

// Frames where anything of the place has a key frame, ascending.
std::vector<int> key_places_of_place(const Shoot& shoot, int place);
// Everything of it gets one there, as it runs now.
void add_place_key(Shoot& shoot, int place, int frame);
// The last one stays: without any a place would be at its presets.
void remove_place_key(Shoot& shoot, int place, int frame);
// False, and nothing done, where there is none, or one stands at `to` already.
bool move_place_key(Shoot& shoot, int place, int from, int to);
Easing place_easing(const Shoot& shoot, int place, int frame);
void set_place_easing(Shoot& shoot, int place, int frame, Easing easing);

// What is painted there, made as it is now if there is none.
Painting& painting_at_key(Shoot& shoot, int place, int shape, int frame);

}  // namespace tsukimi
