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

Mat3 exposed_matrix(const WhiteBalance& wb, double stops) {
  Mat3 m = wb.to_working;
  for (double& v : m.m) v *= std::exp2(stops);
  return m;
}

void balance_to_working_space(Image& image, const WhiteBalance& wb, double stops) {
  const Mat3f matrix(exposed_matrix(wb, stops));
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) HWY_DYNAMIC_DISPATCH(balance_row)
    (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), image.width,
     wb.gains[0], wb.gains[1], wb.gains[2], wb.clip, matrix);
  });
}

}  // namespace tsukimi
#endif
