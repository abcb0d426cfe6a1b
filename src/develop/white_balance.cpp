// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/white_balance.h"

#include <cmath>

#include "base/parallel.h"
#include "develop/clipped.h"
#include "develop/rows.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/white_balance.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// Gains, held at clipping.
void balance_row(float* __restrict r, float* __restrict g, float* __restrict b, int width, float gr,
                 float gg, float gb) {
  for (int x = 0; x < width; ++x) {
    r[x] = gr * (r[x] < 1 ? r[x] : 1.0f);
    g[x] = gg * (g[x] < 1 ? g[x] : 1.0f);
    b[x] = gb * (b[x] < 1 ? b[x] : 1.0f);
  }
}

// The same from a proxy's numbers, and the matrix; gains and pedestal times the numbers' scale,
// most: the gains themselves.
void unpack_row(const std::uint16_t* const* in, int width, const float* gain, const float* pedestal,
                const float* most, const Mat3f& matrix, float* __restrict r, float* __restrict g,
                float* __restrict b) {
  const Mat3f m = matrix;
  const std::uint16_t* __restrict ri = in[0], * __restrict gi = in[1], * __restrict bi = in[2];
  const float gr = gain[0], gg = gain[1], gb = gain[2], mr = most[0], mg = most[1], mb = most[2];
  const float pr = pedestal[0], pg = pedestal[1], pb = pedestal[2];
  for (int x = 0; x < width; ++x) {
    float cr = static_cast<float>(ri[x]) * gr - pr, cg = static_cast<float>(gi[x]) * gg - pg,
          cb = static_cast<float>(bi[x]) * gb - pb;
    cr = cr < mr ? cr : mr;
    cg = cg < mg ? cg : mg;
    cb = cb < mb ? cb : mb;
    r[x] = m.m[0] * cr + m.m[1] * cg + m.m[2] * cb;
    g[x] = m.m[3] * cr + m.m[4] * cg + m.m[5] * cb;
    b[x] = m.m[6] * cr + m.m[7] * cg + m.m[8] * cb;
  }
}

// Light of 0..1 of numbers whose steps are not even: a cubic (StoredLight).
void light_row(const std::uint16_t* __restrict in, int width, const StoredLight& stored,
               float* __restrict out) {
  const StoredLight s = stored;
  for (int x = 0; x < width; ++x) out[x] = s.light(in[x]);
}

std::uint16_t highest(const std::uint16_t* __restrict in, int width) {
  std::uint16_t top = 0;
  for (int x = 0; x < width; ++x) top = top > in[x] ? top : in[x];
  return top;
}

// Balanced already.
void matrix_row(float* __restrict r, float* __restrict g, float* __restrict b, int width,
                const Mat3f& matrix) {
  const Mat3f m = matrix;
  for (int x = 0; x < width; ++x) {
    const float cr = r[x], cg = g[x], cb = b[x];
    r[x] = m.m[0] * cr + m.m[1] * cg + m.m[2] * cb;
    g[x] = m.m[3] * cr + m.m[4] * cg + m.m[5] * cb;
    b[x] = m.m[6] * cr + m.m[7] * cg + m.m[8] * cb;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(balance_row);
HWY_EXPORT(unpack_row);
HWY_EXPORT(light_row);
HWY_EXPORT(matrix_row);
HWY_EXPORT(highest);

namespace {

Mat3f exposed_matrix(const WhiteBalance& wb, const Exposure& exposure) {
  Mat3 m = wb.to_working;
  for (std::size_t i = 0; i < 9; ++i)
    m.m[i] *= std::exp2(exposure.stops) * std::exp2(exposure.channels[i % 3]);
  return Mat3f(m);
}

Image unpacked(const Proxy& p, const WhiteBalance& wb, const Mat3f& matrix) {
  Image out(p.width, p.height);
  float gain[3], pedestal[3];
  for (int c = 0; c < 3; ++c) {
    gain[c] = wb.gains[c] / StoredLight::kScale;
    pedestal[c] = StoredLight::kPedestal * gain[c];
  }
  const ClipGuide guide = clip_guide(p, wb.gains);
  const std::size_t plane = static_cast<std::size_t>(p.width) * p.height;
  const StoredLight stored = p.stored();
  const std::uint16_t begin = stored.number(ClipGuide::kBegin);
  const Mat3f same{Mat3{}};
  parallel_rows(p.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const std::uint16_t* row = p.data.data() + static_cast<std::size_t>(y) * p.width;
      const std::uint16_t* in[3] = {row, row + plane, row + 2 * plane};
      float *r = out.planes[0].row(y), *g = out.planes[1].row(y), *b = out.planes[2].row(y);
      bool clipped = false;
      for (int c = 0; c < 3 && !guide.empty(); ++c)
        clipped |= HWY_DYNAMIC_DISPATCH(highest)(in[c], p.width) >= begin;
      const bool at_once = stored.is_even() && !clipped;
      if (stored.is_even()) {
        HWY_DYNAMIC_DISPATCH(unpack_row)
        (in, p.width, gain, pedestal, wb.gains.data(), at_once ? matrix : same, r, g, b);
      } else {
        for (int c = 0; c < 3; ++c)
          HWY_DYNAMIC_DISPATCH(light_row)(in[c], p.width, stored, out.planes[c].row(y));
        HWY_DYNAMIC_DISPATCH(balance_row)
        (r, g, b, p.width, wb.gains[0], wb.gains[1], wb.gains[2]);
      }
      if (at_once) continue;
      if (clipped) guide.recover(r, g, b, 0, y, p.width);
      HWY_DYNAMIC_DISPATCH(matrix_row)(r, g, b, p.width, matrix);
    }
  });
  return out;
}

}  // namespace

void balance(Image& image, const WhiteBalance& wb) {
  const ClipGuide guide = clip_guide(image, wb.gains);
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float *r = image.planes[0].row(y), *g = image.planes[1].row(y), *b = image.planes[2].row(y);
      HWY_DYNAMIC_DISPATCH(balance_row)
      (r, g, b, image.width, wb.gains[0], wb.gains[1], wb.gains[2]);
      guide.recover(r, g, b, 0, y, image.width);
    }
  });
}

void to_working_space(Image& image, const Tile& t, const WhiteBalance& wb,
                      const Exposure& exposure) {
  const Mat3f matrix = exposed_matrix(wb, exposure);
  for (int y = t.y0; y < t.y1; ++y) HWY_DYNAMIC_DISPATCH(matrix_row)
  (image.planes[0].row(y) + t.x0, image.planes[1].row(y) + t.x0, image.planes[2].row(y) + t.x0,
   t.x1 - t.x0, matrix);
}

Image balanced(const Proxy& proxy, const WhiteBalance& wb) {
  return unpacked(proxy, wb, Mat3f(Mat3{}));
}

Image in_working_space(const Proxy& proxy, const WhiteBalance& wb, const Exposure& exposure) {
  return unpacked(proxy, wb, exposed_matrix(wb, exposure));
}

}  // namespace tsukimi
#endif
