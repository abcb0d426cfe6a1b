#include "develop/display.h"

#include <algorithm>
#include <vector>

#include "image/colour.h"
#include "image/fast_math.h"
#include "image/parallel.h"

namespace tsukimi {
namespace {

// Linear, held in 0..1, to 0..1 sRGB.
inline float encode(float v) {
  v = v > 0 ? v : 0.0f;
  v = v < 1 ? v : 1.0f;
  const float low = 12.92f * v;
  const float high = 1.055f * fast_exp2(fast_log2(v) * (1 / 2.4f)) - 0.055f;
  return v <= 0.0031308f ? low : high;
}

struct Matrix {
  float m[9];
};

// One row of linear Rec. 2020 to encoded sRGB in 0..1.
TSUKIMI_SIMD void encode_row(const float* __restrict r, const float* __restrict g,
                             const float* __restrict b, int width, const Matrix& to_srgb,
                             float* __restrict ro, float* __restrict go, float* __restrict bo) {
  const Matrix k = to_srgb;
  for (int x = 0; x < width; ++x) {
    float sr = k.m[0] * r[x] + k.m[1] * g[x] + k.m[2] * b[x];
    float sg = k.m[3] * r[x] + k.m[4] * g[x] + k.m[5] * b[x];
    float sb = k.m[6] * r[x] + k.m[7] * g[x] + k.m[8] * b[x];
    float luma = kLumaR * r[x] + kLumaG * g[x] + kLumaB * b[x];
    luma = luma > 0 ? luma : 0.0f;
    luma = luma < 1 ? luma : 1.0f;
    float low = sr < sg ? sr : sg, high = sr > sg ? sr : sg;
    low = low < sb ? low : sb;
    high = high > sb ? high : sb;
    // How far from grey the colour may stand: 1 when it fits.
    const float below = luma / (luma - (low < 0 ? low : -1.0f)),
                above = (1 - luma) / ((high > 1 ? high : 2.0f) - luma);
    const float t_low = low < 0 ? below : 1.0f, t_high = high > 1 ? above : 1.0f;
    const float t = t_low < t_high ? t_low : t_high;
    sr = luma + t * (sr - luma);
    sg = luma + t * (sg - luma);
    sb = luma + t * (sb - luma);
    ro[x] = encode(sr);
    go[x] = encode(sg);
    bo[x] = encode(sb);
  }
}

// Triangular noise in -1..1 from a fixed 64x64 pattern.
const std::vector<float>& dither_pattern() {
  static const std::vector<float> pattern = [] {
    std::vector<float> p(64 * 64);
    for (std::uint32_t i = 0; i < p.size(); ++i) {
      const std::uint32_t h = hash3(i & 63, i >> 6, 7);
      p[i] = static_cast<float>((h & 0xFFFF) / 65536.0 - (h >> 16) / 65536.0);
    }
    return p;
  }();
  return pattern;
}

template <typename T>
Encoded<T> convert(const Image& image, float most) {
  Encoded<T> out(image.width, image.height);
  Matrix m;
  for (int i = 0; i < 9; ++i) m.m[i] = static_cast<float>(rec2020_to_srgb().m[i]);
  const auto& dither = dither_pattern();
  const bool dithered = sizeof(T) == 1;
  parallel_rows(image.height, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(image.width) * 3);
    for (int y = y0; y < y1; ++y) {
      const int w = image.width;
      encode_row(image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), w, m,
                 line.data(), line.data() + w, line.data() + 2 * w);
      T* dst = out.row(y);
      const float* pattern = dither.data() + (y & 63) * 64;
      for (int c = 0; c < 3; ++c) {
        const float* src = line.data() + static_cast<std::size_t>(c) * image.width;
        for (int x = 0; x < image.width; ++x) {
          float v = src[x] * most + 0.5f;
          // Black and white stay exact: no noise where there is nothing to hide.
          if (dithered && src[x] > 0 && src[x] < 1) v += pattern[(x + 17 * c) & 63] * 0.5f;
          dst[3 * x + c] = static_cast<T>(std::clamp(v, 0.0f, most + 0.4f));
        }
      }
    }
  });
  return out;
}

}  // namespace

Encoded8 to_srgb8(const Image& image) { return convert<std::uint8_t>(image, 255); }
Encoded16 to_srgb16(const Image& image) { return convert<std::uint16_t>(image, 65535); }

}  // namespace tsukimi
