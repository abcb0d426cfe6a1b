// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/smooth_light.h"

#include <cmath>

#include "base/parallel.h"
#include "develop/oklab.h"
#include "develop/shrink.h"
#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/smooth_light.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_SMOOTH_LIGHT_ONCE
#define TSUKIMI_SMOOTH_LIGHT_ONCE
namespace tsukimi {
constexpr float kToneFoot = 0.002f;  // light below this is noise: its logarithm stays calm
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void tone_log_row(const float* __restrict r, const float* __restrict g, const float* __restrict b,
                  int width, float gain, float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    float light = gain * (kLumaR * r[x] + kLumaG * g[x] + kLumaB * b[x]);
    light = light > 0 ? light : 0.0f;
    out[x] = fast_log2(light + kToneFoot);
  }
}

// CIE lightness of the smoothed light.
void lightness_row(const float* __restrict log, const float* __restrict a,
                   const float* __restrict b, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    float light = fast_exp2(a[x] * log[x] + b[x]) - kToneFoot;
    light = light > 0 ? light : 0.0f;
    const float root = 116 * fast_cbrt(light) - 16, dark = 903.3f * light;
    const float tone = light > 0.008856f ? root : dark;
    out[x] = tone < 100 ? tone : 100.0f;
  }
}

void follow_row(const float* __restrict log, const float* __restrict a, const float* __restrict b,
                int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] = a[x] * log[x] + b[x];
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(tone_log_row);
HWY_EXPORT(lightness_row);
HWY_EXPORT(follow_row);

SmoothLight::SmoothLight(const Image& image, double stops, bool with_hues)
    : gain_(static_cast<float>(std::exp2(-stops))), with_hues_(with_hues), width_(image.width) {
  Image small = shrink(image);
  Plane log(small.width, small.height);
  for (int y = 0; y < small.height; ++y) HWY_DYNAMIC_DISPATCH(tone_log_row)
  (small.planes[0].row(y), small.planes[1].row(y), small.planes[2].row(y), small.width, gain_,
   log.row(y));
  const int radius = base_radius(small.size());
  constexpr double kSoftness = 0.35, kEdge = 0.6;  // stops
  tone_ = guided_filter(log, log, radius, kSoftness, kEdge);
  enlarge_ = Enlarge(small.size(), image.size());
  if (!with_hues) return;
  for (int y = 0; y < small.height; ++y)
    to_oklab({small.planes[0].row(y), small.planes[1].row(y), small.planes[2].row(y), small.width});
  hue_a_ = guided_filter(log, small.planes[1], radius, kSoftness, kEdge);
  hue_b_ = guided_filter(log, small.planes[2], radius, kSoftness, kEdge);
}

RowLight SmoothLight::row(const Image& image, int y) const {
  thread_local std::vector<float> scratch;  // log, a, b, and what comes out
  scratch.resize(static_cast<std::size_t>(width_) * 6);
  float *log = scratch.data(), *a = log + width_, *b = a + width_, *tone = b + width_,
        *hue_a = tone + width_, *hue_b = hue_a + width_;
  HWY_DYNAMIC_DISPATCH(tone_log_row)
  (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), width_, gain_, log);
  enlarge_.row(tone_, y, a, b);
  HWY_DYNAMIC_DISPATCH(lightness_row)(log, a, b, width_, tone);
  if (!with_hues_) return {tone, nullptr, nullptr};
  enlarge_.row(hue_a_, y, a, b);
  HWY_DYNAMIC_DISPATCH(follow_row)(log, a, b, width_, hue_a);
  enlarge_.row(hue_b_, y, a, b);
  HWY_DYNAMIC_DISPATCH(follow_row)(log, a, b, width_, hue_b);
  return {tone, hue_a, hue_b};
}

}  // namespace tsukimi
#endif
