// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/wide_light.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/wide_light.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_WIDE_LIGHT_ONCE
#define TSUKIMI_WIDE_LIGHT_ONCE
namespace tsukimi {
// Of SMPTE ST 2084 and of BT.2100.
constexpr float kM1 = 2610.0f / 16384, kM2 = 2523.0f / 4096 * 128, kC1 = 3424.0f / 4096,
                kC2 = 2413.0f / 4096 * 32, kC3 = 2392.0f / 4096 * 32;
constexpr float kHlgA = 0.17883277f, kHlgB = 0.28466892f, kHlgC = 0.55991073f;
// From the screen's luminance back to the scene's: exponent (1 - gamma) / gamma, gamma 1.2.
constexpr float kToScene = -0.2f / 1.2f;
constexpr float kSoftFrom = 0.75f;  // of white: from there on a usual screen bends
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

HWY_ATTR inline float pq_of(float light) {
  const float y = light / kMostPq;
  const float p = fast_exp2(kM1 * fast_log2(y > 1e-12f ? y : 1e-12f));
  return fast_exp2(kM2 * fast_log2((kC1 + kC2 * p) / (1 + kC3 * p)));
}

HWY_ATTR inline float hlg_of(float e) {
  const float low = std::sqrt(3 * (e > 0 ? e : 0.0f));
  const float above = 12 * e - kHlgB;
  const float high = kHlgA * 0.69314718f * fast_log2(above > 1e-6f ? above : 1e-6f) + kHlgC;
  return e <= 1.0f / 12 ? low : high;
}

HWY_ATTR inline float held(float v, float most) {
  v = v > 0 ? v : 0.0f;
  return v < most ? v : most;
}

void pq_row(const float* __restrict in, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) out[x] = pq_of(held(in[x] * kWhiteLight, kMostPq));
}

void hlg_row(const float* const* in, int width, float* const* out) {
  const float* __restrict r = in[0], * __restrict g = in[1], * __restrict b = in[2];
  float* __restrict ro = out[0], * __restrict go = out[1], * __restrict bo = out[2];
  constexpr float kScale = kWhiteLight / kMostHlg;
  for (int x = 0; x < width; ++x) {
    const float vr = held(r[x] * kScale, 1), vg = held(g[x] * kScale, 1),
                vb = held(b[x] * kScale, 1);
    const float light = kLumaR * vr + kLumaG * vg + kLumaB * vb;
    const float gain = fast_exp2(kToScene * fast_log2(light > 1e-9f ? light : 1e-9f));
    ro[x] = held(hlg_of(vr * gain), 1);
    go[x] = held(hlg_of(vg * gain), 1);
    bo[x] = held(hlg_of(vb * gain), 1);
  }
}

// The brightest channel of each pixel: the most of a row, and their sum.
void levels_row(const float* const* in, int width, float most_light, float* __restrict brightest) {
  const float* __restrict r = in[0], * __restrict g = in[1], * __restrict b = in[2];
  for (int x = 0; x < width; ++x) {
    const float rg = r[x] > g[x] ? r[x] : g[x];
    brightest[x] = held((rg > b[x] ? rg : b[x]) * kWhiteLight, most_light);
  }
}

void soft_row(float* __restrict r, float* __restrict g, float* __restrict b, int width) {
  constexpr float kRoom = 1 - kSoftFrom;
  for (int x = 0; x < width; ++x) {
    const float rg = r[x] > g[x] ? r[x] : g[x], most = rg > b[x] ? rg : b[x];
    const float over = (most - kSoftFrom) / kRoom;
    // Hyperbolic: as steep as before where it begins, white at no end.
    const float bent = kSoftFrom + kRoom * over / (1 + over);
    const float gain = over > 0 ? bent / most : 1.0f;
    r[x] *= gain;
    g[x] *= gain;
    b[x] *= gain;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(pq_row);
HWY_EXPORT(hlg_row);
HWY_EXPORT(levels_row);
HWY_EXPORT(soft_row);

float pq_signal(float light) {
  float out;
  const float white = light / kWhiteLight;
  HWY_DYNAMIC_DISPATCH(pq_row)(&white, 1, &out);
  return out;
}

float pq_light(float signal) {
  const double p = std::pow(std::max(signal, 0.0f), 1.0 / kM2);
  const double y = std::max(p - kC1, 0.0) / (kC2 - kC3 * p);
  return static_cast<float>(kMostPq * std::pow(y, 1.0 / kM1));
}

float hlg_signal(float scene) {
  return scene <= 1.0f / 12 ? std::sqrt(3 * std::max(scene, 0.0f))
                            : kHlgA * std::log(12 * scene - kHlgB) + kHlgC;
}

float hlg_scene(float signal) {
  return signal <= 0.5f ? signal * signal / 3 : (std::exp((signal - kHlgC) / kHlgA) + kHlgB) / 12;
}

LightLevels encode_wide_rows(const Image& image, FilmLight light, const EncodedRow& row) {
  const int w = image.width;
  struct Of {
    float most = 0;
    double sum = 0;
  };
  std::vector<Of> levels(static_cast<std::size_t>(image.height));
  const bool pq = light == FilmLight::pq;
  parallel_rows(image.height, [&](int y0, int y1) {
    std::vector<float> buffer(static_cast<std::size_t>(w) * 4);
    float* out[3] = {buffer.data(), buffer.data() + w, buffer.data() + 2 * w};
    float* const brightest = buffer.data() + 3 * w;
    for (int y = y0; y < y1; ++y) {
      const float* in[3] = {image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y)};
      HWY_DYNAMIC_DISPATCH(levels_row)(in, w, pq ? kMostPq : kMostHlg, brightest);
      Of& of = levels[static_cast<std::size_t>(y)];
      for (int x = 0; x < w; ++x) {
        of.most = std::max(of.most, brightest[x]);
        of.sum += brightest[x];
      }
      if (pq)
        for (int c = 0; c < 3; ++c) HWY_DYNAMIC_DISPATCH(pq_row)(in[c], w, out[c]);
      else
        HWY_DYNAMIC_DISPATCH(hlg_row)(in, w, out);
      row(y, out[0], out[1], out[2]);
    }
  });
  LightLevels all;
  double sum = 0;
  for (const Of& of : levels) all.most = std::max(all.most, of.most), sum += of.sum;
  all.mean = static_cast<float>(sum / (static_cast<double>(w) * image.height));
  return all;
}

void bring_into_range(Image& image) {
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(soft_row)
    (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), image.width);
  });
}

}  // namespace tsukimi
#endif
