#include "develop/display.h"

#include <algorithm>
#include <vector>

#include "image/colour.h"
#include "image/fast_math.h"
#include "image/parallel.h"

namespace tsukimi {
namespace {

// 0..1 linear to 0..1 sRGB, vectorisable.
inline float encode(float v) {
  const float low = 12.92f * v;
  const float high = 1.055f * fast_exp2(fast_log2(v) * (1 / 2.4f)) - 0.055f;
  return v <= 0.0031308f ? low : high;
}

// One row of linear Rec. 2020 to encoded sRGB in 0..1, planar.
void encode_row(const Image& image, int y, const float m[9], float* out) {
  const int w = image.width;
  const float *r = image.planes[0].row(y), *g = image.planes[1].row(y), *b = image.planes[2].row(y);
  float *ro = out, *go = out + w, *bo = out + 2 * w;
  for (int x = 0; x < w; ++x) {
    float sr = m[0] * r[x] + m[1] * g[x] + m[2] * b[x];
    float sg = m[3] * r[x] + m[4] * g[x] + m[5] * b[x];
    float sb = m[6] * r[x] + m[7] * g[x] + m[8] * b[x];
    const float luma =
        std::min(std::max(kLumaR * r[x] + kLumaG * g[x] + kLumaB * b[x], 0.0f), 1.0f);
    const float low = std::min(std::min(sr, sg), sb), high = std::max(std::max(sr, sg), sb);
    // How far from grey the colour may stand: 1 when it fits.
    const float t_low = low < 0 ? luma / (luma - low) : 1.0f;
    const float t_high = high > 1 ? (1 - luma) / (high - luma) : 1.0f;
    const float t = std::min(t_low, t_high);
    sr = luma + t * (sr - luma);
    sg = luma + t * (sg - luma);
    sb = luma + t * (sb - luma);
    ro[x] = encode(std::min(std::max(sr, 0.0f), 1.0f));
    go[x] = encode(std::min(std::max(sg, 0.0f), 1.0f));
    bo[x] = encode(std::min(std::max(sb, 0.0f), 1.0f));
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
  float m[9];
  for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(rec2020_to_srgb().m[i]);
  const auto& dither = dither_pattern();
  const bool dithered = sizeof(T) == 1;
  parallel_rows(image.height, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(image.width) * 3);
    for (int y = y0; y < y1; ++y) {
      encode_row(image, y, m, line.data());
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
