// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/vignette.h"

#include <cmath>

#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/vignette.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// dy2: square of the distance from the middle in y, 1 at the edge.
void vignette_row(float* __restrict r, float* __restrict g, float* __restrict b, int width,
                  float unit, float middle, float dy2, float stops, float inner) {
  const float reach = 1 / (1.41421356f - inner);
  for (int x = 0; x < width; ++x) {
    const float dx = (static_cast<float>(x) + 0.5f) * unit - middle;
    float t = (std::sqrt(dx * dx + dy2) - inner) * reach;
    t = t > 0 ? t : 0.0f;
    t = t < 1 ? t : 1.0f;
    const float gain = fast_exp2(smooth_step(t, stops));
    r[x] *= gain;
    g[x] *= gain;
    b[x] *= gain;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(vignette_row);

Vignette::Vignette(const Look& look, Size picture, Rect film)
    : stops_(static_cast<float>(2 * look[Param::vignette] / 100)),
      inner_(static_cast<float>(0.95 * look[Param::vignette_size] / 100)),
      unit_x_(static_cast<float>(2 / (film.w * picture.width))),
      unit_y_(static_cast<float>(2 / (film.h * picture.height))),
      middle_x_(static_cast<float>(2 * film.x / film.w + 1)),
      middle_y_(static_cast<float>(2 * film.y / film.h + 1)) {}

void Vignette::apply(const Rows& p, int y) const {
  const float dy = (static_cast<float>(y) + 0.5f) * unit_y_ - middle_y_;
  HWY_DYNAMIC_DISPATCH(vignette_row)
  (p.r, p.g, p.b, p.width, unit_x_, middle_x_, dy * dy, stops_, inner_);
}

}  // namespace tsukimi
#endif
