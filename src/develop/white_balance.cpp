#include "develop/white_balance.h"

#include <cmath>

#include "develop/rows.h"
#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/white_balance.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void balance_row(float* __restrict r, float* __restrict g, float* __restrict b, int width, float gr,
                 float gg, float gb, float clip, const Mat3f& matrix) {
  const Mat3f m = matrix;
  for (int x = 0; x < width; ++x) {
    float cr = r[x] * gr, cg = g[x] * gg, cb = b[x] * gb;
    cr = cr < clip ? cr : clip;
    cg = cg < clip ? cg : clip;
    cb = cb < clip ? cb : clip;
    r[x] = m.m[0] * cr + m.m[1] * cg + m.m[2] * cb;
    g[x] = m.m[3] * cr + m.m[4] * cg + m.m[5] * cb;
    b[x] = m.m[6] * cr + m.m[7] * cg + m.m[8] * cb;
  }
}

// The same from a proxy's numbers; gains and pedestal times the numbers' scale.
void unpack_row(const std::uint16_t* const* in, int width, const float* gain, const float* pedestal,
                float clip, const Mat3f& matrix, float* __restrict r, float* __restrict g,
                float* __restrict b) {
  const Mat3f m = matrix;
  const std::uint16_t* __restrict ri = in[0], * __restrict gi = in[1], * __restrict bi = in[2];
  const float gr = gain[0], gg = gain[1], gb = gain[2];
  const float pr = pedestal[0], pg = pedestal[1], pb = pedestal[2];
  for (int x = 0; x < width; ++x) {
    float cr = static_cast<float>(ri[x]) * gr - pr, cg = static_cast<float>(gi[x]) * gg - pg,
          cb = static_cast<float>(bi[x]) * gb - pb;
    cr = cr < clip ? cr : clip;
    cg = cg < clip ? cg : clip;
    cb = cb < clip ? cb : clip;
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

namespace {

constexpr std::array<float, 3> kNoGains{1, 1, 1};
constexpr float kNoClip = 1e9f;

Mat3f exposed_matrix(const WhiteBalance& wb, double stops) {
  Mat3 m = wb.to_working;
  for (double& v : m.m) v *= std::exp2(stops);
  return Mat3f(m);
}

void rows(Image& image, int y0, int y1, const std::array<float, 3>& gains, float clip,
          const Mat3f& matrix) {
  for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(balance_row)
  (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), image.width, gains[0],
   gains[1], gains[2], clip, matrix);
}

Image unpacked(const Proxy& p, const WhiteBalance& wb, const Mat3f& matrix) {
  Image out(p.width, p.height);
  float gain[3], pedestal[3];
  for (int c = 0; c < 3; ++c) {
    gain[c] = wb.gains[c] / kProxyScale;
    pedestal[c] = kProxyPedestal * gain[c];
  }
  const std::size_t plane = static_cast<std::size_t>(p.width) * p.height;
  parallel_rows(p.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const std::uint16_t* row = p.data.data() + static_cast<std::size_t>(y) * p.width;
      const std::uint16_t* in[3] = {row, row + plane, row + 2 * plane};
      HWY_DYNAMIC_DISPATCH(unpack_row)
      (in, p.width, gain, pedestal, wb.clip, matrix, out.planes[0].row(y), out.planes[1].row(y),
       out.planes[2].row(y));
    }
  });
  return out;
}

}  // namespace

void balance(Image& image, const WhiteBalance& wb) {
  const Mat3f same{Mat3{}};
  parallel_rows(image.height,
                [&](int y0, int y1) { rows(image, y0, y1, wb.gains, wb.clip, same); });
}

void to_working_space(Image& image, int y0, int y1, const WhiteBalance& wb, double stops) {
  rows(image, y0, y1, kNoGains, kNoClip, exposed_matrix(wb, stops));
}

Image balanced(const Proxy& proxy, const WhiteBalance& wb) {
  return unpacked(proxy, wb, Mat3f(Mat3{}));
}

Image in_working_space(const Proxy& proxy, const WhiteBalance& wb, double stops) {
  return unpacked(proxy, wb, exposed_matrix(wb, stops));
}

}  // namespace tsukimi
#endif
