// SPDX-License-Identifier: GPL-3.0-or-later
// From the camera's frame to the picture in one resampling: lens, placement, and light that changes
// over the frame.
#pragma once

#include "develop/recipe.h"
#include "framing/warp.h"

namespace tsukimi {

// Whether it takes the mesh. A plain part of the frame is cut by the quicker Resampler.
bool needs_mesh(const PictureRecipe& recipe);

// Moves every channel of camera RGB (linear) to where it belongs, with the gains that its light
// needs, and lays it where the placement says. Source and result lie as in the file; placement,
// lens and light are of the upright frame. quick: for what is seen in motion (see Warp). covered:
// what of the source is the frame (a proxy may reach a little beyond).
Warp placing(const PictureRecipe& recipe, Size source, int orientation, bool quick = false,
             Rect covered = {});

}  // namespace tsukimi
