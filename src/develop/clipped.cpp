// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/clipped.h"

#include <algorithm>
#include <cmath>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/clipped.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_CLIPPED_ONCE
#define TSUKIMI_CLIPPED_ONCE
namespace tsukimi {
struct ClipLevels {
  float level[3], begin[3], per_share[3];
};
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

HWY_ATTR inline float smooth(float t) {
  t = t > 0 ? t : 0.0f;
  t = t < 1 ? t : 1.0f;
  return t * t * (3 - 2 * t);
}

// cr, cg, cb: the colour that the surroundings have.
void recover_row(float* __restrict r, float* __restrict g, float* __restrict b,
                 const float* __restrict cr, const float* __restrict cg, const float* __restrict cb,
                 int width, const ClipLevels& levels) {
  const ClipLevels k = levels;
  for (int x = 0; x < width; ++x) {
    const float vr = r[x], vg = g[x], vb = b[x];
    const float sr = smooth((vr - k.begin[0]) * k.per_share[0]),
                sg = smooth((vg - k.begin[1]) * k.per_share[1]),
                sb = smooth((vb - k.begin[2]) * k.per_share[2]);
    // How bright the light is, by each channel; those that did not clip count, bright ones more.
    const float ir = vr / cr[x], ig = vg / cg[x], ib = vb / cb[x];
    const float pr = vr > 0 ? vr : 0.0f, pg = vg > 0 ? vg : 0.0f, pb = vb > 0 ? vb : 0.0f;
    const float wr = (1 - sr) * pr, wg = (1 - sg) * pg, wb = (1 - sb) * pb;
    const float fr = k.level[0] / cr[x], fg = k.level[1] / cg[x], fb = k.level[2] / cb[x];
    float full = fr > fg ? fr : fg;  // when the last channel clips
    full = full > fb ? full : fb;
    constexpr float kTie = 1e-4f;
    const float light = (wr * ir + wg * ig + wb * ib + kTie * full) / (wr + wg + wb + kTie);
    // No more than three stops beyond clipping: there the surroundings' colour is no guide any
    // more.
    auto raised = [](float v, float share, float wanted, float level) {
      wanted = wanted < 8 * level ? wanted : 8 * level;
      return v + share * (wanted > v ? wanted - v : 0.0f);
    };
    const float nr = raised(vr, sr, cr[x] * light, k.level[0]),
                ng = raised(vg, sg, cg[x] * light, k.level[1]),
                nb = raised(vb, sb, cb[x] * light, k.level[2]);
    // Two channels are clipped and the last one is near clipping: blend into white of the same
    // brightness.
    const float two = sr * sg + sg * sb + sb * sr - 2 * sr * sg * sb;
    const float xr = vr / k.level[0], xg = vg / k.level[1], xb = vb / k.level[2];
    float last = xr < xg ? xr : xg;
    last = last < xb ? last : xb;
    const float white = two * smooth((last - 0.85f) * (1 / 0.15f));
    const float luma = kLumaR * nr + kLumaG * ng + kLumaB * nb;
    r[x] = nr + white * (luma - nr);
    g[x] = ng + white * (luma - ng);
    b[x] = nb + white * (luma - nb);
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(recover_row);

void ClipGuide::recover(float* r, float* g, float* b, int left, int y, int width) const {
  if (empty()) return;
  thread_local std::vector<float> scratch;
  scratch.resize(static_cast<std::size_t>(width) * 3);
  const Plane& first = colour_[0];
  const float fy = std::clamp((static_cast<float>(y) + 0.5f) / cell_ - 0.5f, 0.0f,
                              static_cast<float>(first.height - 1));
  const int y0 = static_cast<int>(fy), y1 = std::min(y0 + 1, first.height - 1);
  const float ty = fy - static_cast<float>(y0);
  for (int c = 0; c < 3; ++c) {
    const float *above = colour_[c].row(y0), *below = colour_[c].row(y1);
    float* out = scratch.data() + static_cast<std::size_t>(c) * width;
    for (int x = 0; x < width; ++x) {
      const float fx = std::clamp((static_cast<float>(left + x) + 0.5f) / cell_ - 0.5f, 0.0f,
                                  static_cast<float>(first.width - 1));
      const int x0 = static_cast<int>(fx), x1 = std::min(x0 + 1, first.width - 1);
      const float tx = fx - static_cast<float>(x0);
      const float a = above[x0] + tx * (above[x1] - above[x0]),
                  d = below[x0] + tx * (below[x1] - below[x0]);
      out[x] = a + ty * (d - a);
    }
  }
  ClipLevels k;
  constexpr float kSoft = 0.015f;
  for (int c = 0; c < 3; ++c) {
    k.level[c] = level_[c];
    k.begin[c] = kBegin * level_[c];
    k.per_share[c] = 1 / (kSoft * level_[c]);
  }
  HWY_DYNAMIC_DISPATCH(recover_row)
  (r, g, b, scratch.data(), scratch.data() + width, scratch.data() + 2 * width, width, k);
}

}  // namespace tsukimi
#endif
