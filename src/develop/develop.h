// SPDX-License-Identifier: GPL-3.0-or-later
// One frame from sensor light to a finished picture: the chain, in the order of
// docs/computation.md.
#pragma once

#include <memory>

#include "camera/hot_pixels.h"
#include "camera/lens_profile.h"
#include "camera/sensor_frame.h"
#include "develop/recipe.h"
#include "framing/geometry.h"
#include "proxy/proxy.h"

namespace tsukimi {

// Full quality. Linear Rec. 2020 as the placement says, ready for the display step.
Image develop_frame(SensorFrame frame, const PictureRecipe& settings);

// The same look on a proxy, fast enough for playback.
Image develop_proxy(const Proxy& proxy, const PictureRecipe& settings);

// As the camera shot it: no look, the white balance that it noted.
Image develop_as_shot(const Proxy& proxy);

// The part of the chain that follows geometry, in place: noise, then everything that shapes light
// and colour, of all of it and of places. reduction: sensor pixels per pixel of the image, along
// one side; frame: the upright frame (for its shape), 0x0 where the image is all of it.
void apply_look(Image& image, const PictureRecipe& settings, double reduction, Size frame = {});

// The airlight of a frame as it stands before haze, for the look of a key frame.
std::array<float, 3> airlight_of(const Proxy& proxy, const Look& look, double stops);

}  // namespace tsukimi
