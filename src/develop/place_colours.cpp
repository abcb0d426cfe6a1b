// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/place_colours.h"

#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/place_colours.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void colours_row(float* __restrict A, float* __restrict B, const float* __restrict saturation,
                 const float* __restrict muted, const float* __restrict hue, int width) {
  constexpr float kSkinA = 0.57357644f, kSkinB = 0.81915204f;  // 55 degrees
  for (int x = 0; x < width; ++x) {
    const float a = A[x], b = B[x], chroma = std::sqrt(a * a + b * b);
    float pale = 1 - chroma * 4;
    pale = pale > 0 ? pale : 0.0f;
    // exp(-(distance / 30 degrees)^2), by the cosine of the distance.
    const float near = (a * kSkinA + b * kSkinB) / (chroma + 1e-9f);
    const float spared = 1 - 0.5f * fast_exp2(-10.52f * (1 - near));
    float gain = 1 + 0.01f * saturation[x];
    gain = gain > 0 ? gain : 0.0f;
    gain *= 1 + 0.01f * muted[x] * spared * pale * pale;
    // Sine and cosine of up to 1.6 radians, error below 2e-5.
    float turn = hue[x] * 0.017453293f;
    turn = turn < 1.6f ? turn : 1.6f;
    turn = turn > -1.6f ? turn : -1.6f;
    const float t2 = turn * turn;
    const float sine =
        turn * (1 + t2 * (-0.16666667f +
                          t2 * (0.0083333333f + t2 * (-0.00019841270f + t2 * 0.0000027557319f))));
    const float cosine =
        1 + t2 * (-0.5f + t2 * (0.041666667f + t2 * (-0.0013888889f +
                                                     t2 * (0.000024801587f - t2 * 2.7557319e-7f))));
    A[x] = gain * (cosine * a - sine * b);
    B[x] = gain * (sine * a + cosine * b);
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(colours_row);

PlaceColours::PlaceColours(const LocalAmounts& amounts)
    : amounts_(amounts),
      changes_(amounts.uses(Param::place_saturation) || amounts.uses(Param::place_muted_colours) ||
               amounts.uses(Param::place_hue)) {}

void PlaceColours::apply(const Rows& p, int y) const {
  thread_local std::vector<float> scratch;
  const auto width = static_cast<std::size_t>(p.width);
  scratch.resize(3 * width);
  float *saturation = scratch.data(), *muted = saturation + width, *hue = muted + width;
  amounts_.sum(Param::place_saturation, y, saturation);
  amounts_.sum(Param::place_muted_colours, y, muted);
  amounts_.sum(Param::place_hue, y, hue);
  HWY_DYNAMIC_DISPATCH(colours_row)(p.g, p.b, saturation, muted, hue, p.width);
}

}  // namespace tsukimi
#endif
