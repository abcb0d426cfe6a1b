// SPDX-License-Identifier: GPL-3.0-or-later
// Places in a saved look: graduated shapes and ellipses, as they were at the frame it was kept
// from.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

// Of the places that are on, with one key frame each. What is painted belongs to one picture: such
// shapes are left out, and so are places that have no other.
std::vector<LocalPlace> places_to_keep(const Shoot& shoot, int frame);
// Behind those that are there, with their key frame there.
void add_kept_places(Shoot& shoot, const std::vector<LocalPlace>& places, int frame);
// What they would be at a frame where they were added; those that do nothing are left out.
std::vector<PlaceAt> places_as_kept(const std::vector<LocalPlace>& places);

}  // namespace tsukimi
