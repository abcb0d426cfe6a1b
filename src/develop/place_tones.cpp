// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/place_tones.h"

#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/place_tones.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// As points_at: on the square root of light, from where black lies, and over how much. white and
// black become these two.
void ends_row(float* __restrict white, float* __restrict black, int width) {
  for (int x = 0; x < width; ++x) {
    const float top = fast_exp2(-0.5f * 1.35f * 0.01f * white[x]), bottom = -0.0012f * black[x];
    white[x] = 1 / (top - bottom);
    black[x] = bottom;
  }
}

void points_row(float* __restrict row, const float* __restrict per, const float* __restrict bottom,
                int width) {
  for (int x = 0; x < width; ++x) {
    const float size = std::sqrt(std::fabs(row[x]));
    const float v = ((row[x] < 0 ? -size : size) - bottom[x]) * per[x];
    row[x] = v * std::fabs(v);
  }
}

// As contrast_at.
void contrast_row(float* __restrict row, const float* __restrict amount, int width) {
  constexpr float kGrey = 0.42426407f;  // square root of middle grey
  for (int x = 0; x < width; ++x) {
    float a = amount[x];
    a = a < 100 ? a : 100.0f;
    a = a > -100 ? a : -100.0f;
    a *= 0.015f;
    const float light = row[x] > 0 ? row[x] : 0.0f, v = std::sqrt(light);
    const float above = 1 + (v - 1) * (1 - a * (1 - kGrey)),
                below = v + a * v * (v - kGrey) * (1 - v);
    const float out = v > 1 ? above : below;
    // Noise below black goes on as it begins.
    row[x] = row[x] < 0 ? row[x] * (1 - a * kGrey) * (1 - a * kGrey) : out * out;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(ends_row);
HWY_EXPORT(points_row);
HWY_EXPORT(contrast_row);

PlaceTones::PlaceTones(const LocalAmounts& amounts)
    : amounts_(amounts),
      points_(amounts.uses(Param::place_white_point) || amounts.uses(Param::place_black_point)),
      contrast_(amounts.uses(Param::place_contrast)) {}

void PlaceTones::apply(const Rows& p, int y) const {
  thread_local std::vector<float> scratch;
  const auto width = static_cast<std::size_t>(p.width);
  scratch.resize(2 * width);
  float *a = scratch.data(), *b = a + width;
  float* rows[3] = {p.r, p.g, p.b};
  if (points_) {
    amounts_.sum(Param::place_white_point, y, a);
    amounts_.sum(Param::place_black_point, y, b);
    HWY_DYNAMIC_DISPATCH(ends_row)(a, b, p.width);
    for (float* row : rows) HWY_DYNAMIC_DISPATCH(points_row)(row, a, b, p.width);
  }
  if (contrast_) {
    amounts_.sum(Param::place_contrast, y, a);
    for (float* row : rows) HWY_DYNAMIC_DISPATCH(contrast_row)(row, a, p.width);
  }
}

}  // namespace tsukimi
#endif
