// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/oklab.h"

#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/oklab.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void to_oklab_row(float* __restrict r, float* __restrict g, float* __restrict b, int width,
                  const Mat3f& to_lms, const Mat3f& to_lab) {
  const Mat3f in = to_lms, k = to_lab;  // copies: nothing can alias the pixels
  for (int x = 0; x < width; ++x) {
    const float l = fast_cbrt(in.m[0] * r[x] + in.m[1] * g[x] + in.m[2] * b[x]);
    const float m = fast_cbrt(in.m[3] * r[x] + in.m[4] * g[x] + in.m[5] * b[x]);
    const float s = fast_cbrt(in.m[6] * r[x] + in.m[7] * g[x] + in.m[8] * b[x]);
    r[x] = k.m[0] * l + k.m[1] * m + k.m[2] * s;
    g[x] = k.m[3] * l + k.m[4] * m + k.m[5] * s;
    b[x] = k.m[6] * l + k.m[7] * m + k.m[8] * s;
  }
}

void from_oklab_row(float* __restrict r, float* __restrict g, float* __restrict b, int width,
                    const Mat3f& from_lab, const Mat3f& from_lms) {
  const Mat3f k = from_lab, out = from_lms;
  for (int x = 0; x < width; ++x) {
    const float l = k.m[0] * r[x] + k.m[1] * g[x] + k.m[2] * b[x];
    const float m = k.m[3] * r[x] + k.m[4] * g[x] + k.m[5] * b[x];
    const float s = k.m[6] * r[x] + k.m[7] * g[x] + k.m[8] * b[x];
    const float l3 = l * l * l, m3 = m * m * m, s3 = s * s * s;
    r[x] = out.m[0] * l3 + out.m[1] * m3 + out.m[2] * s3;
    g[x] = out.m[3] * l3 + out.m[4] * m3 + out.m[5] * s3;
    b[x] = out.m[6] * l3 + out.m[7] * m3 + out.m[8] * s3;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
namespace {

struct Matrices {
  Mat3f to_lms, to_lab, from_lab, from_lms;
};

const Matrices& matrices() {
  static const Matrices m = [] {
    const Mat3 xyz_to_lms{{0.8189330101, 0.3618667424, -0.1288597137, 0.0329845436, 0.9293118715,
                           0.0361456387, 0.0482003018, 0.2643662691, 0.6338517070}};
    const Mat3 lms_to_lab{{0.2104542553, 0.7936177850, -0.0040720468, 1.9779984951, -2.4285922050,
                           0.4505937099, 0.0259040371, 0.7827717662, -0.8086757660}};
    Mat3 to_lms = xyz_to_lms * rec2020_to_xyz();
    // The published numbers are rounded: rows are set so that grey is grey exactly.
    for (int r = 0; r < 3; ++r) {
      const double sum = to_lms(r, 0) + to_lms(r, 1) + to_lms(r, 2);
      for (int c = 0; c < 3; ++c) to_lms(r, c) /= sum;
    }
    return Matrices{Mat3f(to_lms), Mat3f(lms_to_lab), Mat3f(inverse(lms_to_lab)),
                    Mat3f(inverse(to_lms))};
  }();
  return m;
}

}  // namespace

HWY_EXPORT(to_oklab_row);
HWY_EXPORT(from_oklab_row);

void to_oklab(const Rows& p) {
  const auto& m = matrices();
  HWY_DYNAMIC_DISPATCH(to_oklab_row)(p.r, p.g, p.b, p.width, m.to_lms, m.to_lab);
}

void from_oklab(const Rows& p) {
  const auto& m = matrices();
  HWY_DYNAMIC_DISPATCH(from_oklab_row)(p.r, p.g, p.b, p.width, m.from_lab, m.from_lms);
}

}  // namespace tsukimi
#endif
