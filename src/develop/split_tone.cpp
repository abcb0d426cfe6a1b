// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/split_tone.h"

#include <cmath>
#include <numbers>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/split_tone.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void split_row(const float* __restrict L, float* __restrict A, float* __restrict B, int width,
               float sa, float sb, float ha, float hb, float middle) {
  for (int x = 0; x < width; ++x) {
    float l = L[x] > 0 ? L[x] : 0.0f;
    l = l < 1 ? l : 1.0f;
    float up = (l - middle) * 2.5f + 0.5f;
    up = up > 0 ? up : 0.0f;
    up = up < 1 ? up : 1.0f;
    up = up * up * (3 - 2 * up);
    const float room = 4 * l * (1 - l);  // none at black and white
    const float shadow = (1 - up) * room, light = up * room;
    A[x] += shadow * sa + light * ha;
    B[x] += shadow * sb + light * hb;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(split_row);

SplitTone::SplitTone(const Look& look)
    : changes_(look[Param::shadow_strength] != 0 || look[Param::highlight_strength] != 0) {
  auto lean = [](double hue, double strength, float out[2]) {
    const double angle = hue * std::numbers::pi / 180, chroma = 0.09 * strength / 100;
    out[0] = static_cast<float>(chroma * std::cos(angle));
    out[1] = static_cast<float>(chroma * std::sin(angle));
  };
  lean(look[Param::shadow_hue], look[Param::shadow_strength], shadow_);
  lean(look[Param::highlight_hue], look[Param::highlight_strength], light_);
  middle_ = static_cast<float>(0.5 - 0.3 * look[Param::split_balance] / 100);
}

void SplitTone::apply(const Rows& p) const {
  HWY_DYNAMIC_DISPATCH(split_row)
  (p.r, p.g, p.b, p.width, shadow_[0], shadow_[1], light_[0], light_[1], middle_);
}

}  // namespace tsukimi
#endif
