// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/own_looks.h"

namespace tsukimi {
namespace {

constexpr const char* kGroup = "Harbour";

using enum Param;

}  // namespace

const std::vector<SavedLook>& own_looks() {
  static const std::vector<SavedLook> looks{
      {"Clear day",
       kGroup,
       {{haze, 22},
        {shadows, 14},
        {contrast, 12},
        {highlights, -28},
        {saturation, 4},
        {muted_colours, 16},
        {local_contrast, 18},
        {sharpness, 28}},
       {}},
      {"Golden hour",
       kGroup,
       {{temperature, 6400},
        {tint, 3},
        {haze, 6},
        {shadows, 20},
        {contrast, 16},
        {highlights, -36},
        {muted_colours, 24},
        {shadow_hue, 268},
        {shadow_strength, 8},
        {highlight_hue, 72},
        {highlight_strength, 20},
        {local_contrast, 14},
        {vignette, -10}},
       {}},
      {"Dusk",
       kGroup,
       {{temperature, 5900},
        {tint, 5},
        {shadows, 26},
        {contrast, 20},
        {highlights, -24},
        {muted_colours, 22},
        {shadow_hue, 290},
        {shadow_strength, 12},
        {highlight_hue, 48},
        {highlight_strength, 14},
        {local_contrast, 20},
        {noise, 18},
        {vignette, -12}},
       {}},
      {"Blue hour",
       kGroup,
       {{temperature, 4700},
        {black_point, -6},
        {shadows, 20},
        {contrast, 24},
        {highlights, -16},
        {saturation, 4},
        {muted_colours, 14},
        {shadow_hue, 255},
        {shadow_strength, 18},
        {highlight_hue, 76},
        {highlight_strength, 12},
        {local_contrast, 22},
        {noise, 28},
        {colour_noise, 50},
        {vignette, -14}},
       {}},
      {"Deep night",
       kGroup,
       {{temperature, 4100},
        {tint, 4},
        {black_point, -12},
        {shadows, 8},
        {contrast, 28},
        {highlights, -34},
        {saturation, -6},
        {shadow_hue, 250},
        {shadow_strength, 14},
        {local_contrast, 16},
        {noise, 46},
        {colour_noise, 60},
        {hot_pixels, 50},
        {vignette, -18}},
       {}},
  };
  return looks;
}

}  // namespace tsukimi
