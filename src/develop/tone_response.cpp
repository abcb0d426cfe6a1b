// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/tone_response.h"

#include <algorithm>

#include "develop/develop.h"
#include "image/colour.h"

namespace tsukimi {

std::vector<float> tone_response(const Look& look, int count) {
  constexpr int kRows = 4;
  Image ramp(count, kRows);
  for (auto& plane : ramp.planes)
    for (int y = 0; y < kRows; ++y)
      for (int x = 0; x < count; ++x)
        plane.at(x, y) = srgb_decode(static_cast<float>(x) / static_cast<float>(count - 1));
  PictureRecipe recipe;
  recipe.look = look;
  apply_look(ramp, recipe, 1);
  std::vector<float> out;
  for (int x = 0; x < count; ++x)
    out.push_back(srgb_encode(std::clamp(ramp.planes[1].at(x, kRows / 2), 0.0f, 1.0f)));
  return out;
}

}  // namespace tsukimi
