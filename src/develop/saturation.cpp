#include "develop/saturation.h"

#include <algorithm>

#include "image/colour.h"
#include "image/fast_math.h"
#include "image/parallel.h"

namespace tsukimi {
namespace {

struct Mat3f {
  float m[9];
  explicit Mat3f(const Mat3& a) {
    for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(a.m[i]);
  }
};

// Oklab: linear light to cone response, its cube root, then to lightness and two opponents.
const Mat3 kXyzToLms{{0.8189330101, 0.3618667424, -0.1288597137, 0.0329845436, 0.9293118715,
                      0.0361456387, 0.0482003018, 0.2643662691, 0.6338517070}};
const Mat3 kLmsToLab{{0.2104542553, 0.7936177850, -0.0040720468, 1.9779984951, -2.4285922050,
                      0.4505937099, 0.0259040371, 0.7827717662, -0.8086757660}};

// One row: to cone response, cube root, the 3x3 of the change, cube, and back.
TSUKIMI_SIMD void saturate_row(float* __restrict r, float* __restrict g, float* __restrict b,
                               int width, const Mat3f& to_lms, const Mat3f& change,
                               const Mat3f& from_lms) {
  const Mat3f in = to_lms, k = change, out = from_lms;  // copies: nothing can alias the pixels
  for (int x = 0; x < width; ++x) {
    const float l = fast_cbrt(in.m[0] * r[x] + in.m[1] * g[x] + in.m[2] * b[x]);
    const float m = fast_cbrt(in.m[3] * r[x] + in.m[4] * g[x] + in.m[5] * b[x]);
    const float s = fast_cbrt(in.m[6] * r[x] + in.m[7] * g[x] + in.m[8] * b[x]);
    const float l2 = k.m[0] * l + k.m[1] * m + k.m[2] * s;
    const float m2 = k.m[3] * l + k.m[4] * m + k.m[5] * s;
    const float s2 = k.m[6] * l + k.m[7] * m + k.m[8] * s;
    const float l3 = l2 * l2 * l2, m3 = m2 * m2 * m2, s3 = s2 * s2 * s2;
    r[x] = out.m[0] * l3 + out.m[1] * m3 + out.m[2] * s3;
    g[x] = out.m[3] * l3 + out.m[4] * m3 + out.m[5] * s3;
    b[x] = out.m[6] * l3 + out.m[7] * m3 + out.m[8] * s3;
  }
}

}  // namespace

void apply_saturation(Image& image, double amount) {
  if (amount == 0) return;
  // Scaling a and b in Lab is one 3x3 matrix on the cube-rooted cone responses.
  const double k = 1 + std::clamp(amount, -100.0, 100.0) / 100;
  const Mat3 to_lms = kXyzToLms * rec2020_to_xyz();
  const Mat3f in(to_lms), out(inverse(to_lms));
  const Mat3f change(inverse(kLmsToLab) * diagonal({1, k, k}) * kLmsToLab);
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      saturate_row(image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y),
                   image.width, in, change, out);
  });
}

}  // namespace tsukimi
