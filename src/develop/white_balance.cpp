#include "develop/white_balance.h"

#include <cmath>

#include "develop/clipped.h"
#include "develop/rows.h"
#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/white_balance.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// Balance, what clipped, and the matrix.
HWY_ATTR inline void convert(float cr, float cg, float cb, const ClipLevels& clip, const Mat3f& m,
                             float& r, float& g, float& b) {
  cr = cr < clip.level[0] ? cr : clip.level[0];
  cg = cg < clip.level[1] ? cg : clip.level[1];
  cb = cb < clip.level[2] ? cb : clip.level[2];
  recover_clipped(cr, cg, cb, clip);
  r = m.m[0] * cr + m.m[1] * cg + m.m[2] * cb;
  g = m.m[3] * cr + m.m[4] * cg + m.m[5] * cb;
  b = m.m[6] * cr + m.m[7] * cg + m.m[8] * cb;
}

void balance_row(float* __restrict r, float* __restrict g, float* __restrict b, int width, float gr,
                 float gg, float gb, const ClipLevels& clip, const Mat3f& matrix) {
  const Mat3f m = matrix;
  const ClipLevels k = clip;
  for (int x = 0; x < width; ++x) convert(r[x] * gr, g[x] * gg, b[x] * gb, k, m, r[x], g[x], b[x]);
}

// The same from a proxy's numbers; gains and pedestal times the numbers' scale.
void unpack_row(const std::uint16_t* const* in, int width, const float* gain, const float* pedestal,
                const ClipLevels& clip, const Mat3f& matrix, float* __restrict r,
                float* __restrict g, float* __restrict b) {
  const Mat3f m = matrix;
  const ClipLevels k = clip;
  const std::uint16_t* __restrict ri = in[0], * __restrict gi = in[1], * __restrict bi = in[2];
  const float gr = gain[0], gg = gain[1], gb = gain[2];
  const float pr = pedestal[0], pg = pedestal[1], pb = pedestal[2];
  for (int x = 0; x < width; ++x)
    convert(static_cast<float>(ri[x]) * gr - pr, static_cast<float>(gi[x]) * gg - pg,
            static_cast<float>(bi[x]) * gb - pb, k, m, r[x], g[x], b[x]);
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
HWY_EXPORT(matrix_row);

namespace {

Mat3f exposed_matrix(const WhiteBalance& wb, double stops) {
  Mat3 m = wb.to_working;
  for (double& v : m.m) v *= std::exp2(stops);
  return Mat3f(m);
}

Image unpacked(const Proxy& p, const WhiteBalance& wb, const Mat3f& matrix) {
  Image out(p.width, p.height);
  float gain[3], pedestal[3];
  for (int c = 0; c < 3; ++c) {
    gain[c] = wb.gains[c] / kProxyScale;
    pedestal[c] = kProxyPedestal * gain[c];
  }
  const ClipLevels clip(wb.gains);
  const std::size_t plane = static_cast<std::size_t>(p.width) * p.height;
  parallel_rows(p.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const std::uint16_t* row = p.data.data() + static_cast<std::size_t>(y) * p.width;
      const std::uint16_t* in[3] = {row, row + plane, row + 2 * plane};
      HWY_DYNAMIC_DISPATCH(unpack_row)
      (in, p.width, gain, pedestal, clip, matrix, out.planes[0].row(y), out.planes[1].row(y),
       out.planes[2].row(y));
    }
  });
  return out;
}

}  // namespace

void balance(Image& image, const WhiteBalance& wb) {
  const Mat3f same{Mat3{}};
  const ClipLevels clip(wb.gains);
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(balance_row)
    (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), image.width,
     wb.gains[0], wb.gains[1], wb.gains[2], clip, same);
  });
}

void to_working_space(Image& image, int y0, int y1, const WhiteBalance& wb, double stops) {
  const Mat3f matrix = exposed_matrix(wb, stops);
  for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(matrix_row)
  (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), image.width, matrix);
}

Image balanced(const Proxy& proxy, const WhiteBalance& wb) {
  return unpacked(proxy, wb, Mat3f(Mat3{}));
}

Image in_working_space(const Proxy& proxy, const WhiteBalance& wb, double stops) {
  return unpacked(proxy, wb, exposed_matrix(wb, stops));
}

}  // namespace tsukimi
#endif
