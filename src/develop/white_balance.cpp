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

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(balance_row);

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

}  // namespace

void balance(Image& image, const WhiteBalance& wb) {
  const Mat3f same{Mat3{}};
  parallel_rows(image.height,
                [&](int y0, int y1) { rows(image, y0, y1, wb.gains, wb.clip, same); });
}

void to_working_space(Image& image, int y0, int y1, const WhiteBalance& wb, double stops) {
  rows(image, y0, y1, kNoGains, kNoClip, exposed_matrix(wb, stops));
}

void balance_to_working_space(Image& image, const WhiteBalance& wb, double stops) {
  const Mat3f matrix = exposed_matrix(wb, stops);
  parallel_rows(image.height,
                [&](int y0, int y1) { rows(image, y0, y1, wb.gains, wb.clip, matrix); });
}

}  // namespace tsukimi
#endif
