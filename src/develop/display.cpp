// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/display.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "base/parallel.h"
#include "develop/rows.h"
#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/display.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

// Linear, held in 0..1, to 0..1 sRGB. The power is a polynomial of the fourth root, fitted to
// within 2.2e-6: a seventh of a 16-bit step.
inline float encode(float v) {
  v = v > 0 ? v : 0.0f;
  const float q = std::sqrt(std::sqrt(v));
  float high = 0.06173430754718012f;
  high = high * q - 0.29424763719249825f;
  high = high * q + 0.6210022840889451f;
  high = high * q - 0.8252800166013401f;
  high = high * q + 1.3545726486381966f;
  high = high * q + 0.1419582632365035f;
  high = high * q - 0.05973901135623638f;
  const float out = v <= 0.0031308f ? 12.92f * v : high;
  return v < 1 ? out : 1.0f;
}

// One row of linear Rec. 2020 to linear light of another space, held in what it can show.
void fit_row(const float* __restrict r, const float* __restrict g, const float* __restrict b,
             int width, const Mat3f& to_space, float* __restrict ro, float* __restrict go,
             float* __restrict bo) {
  const Mat3f k = to_space;
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
    ro[x] = sr;
    go[x] = sg;
    bo[x] = sb;
  }
}

void encode_srgb_row(float* __restrict v, int count) {
  for (int i = 0; i < count; ++i) v[i] = encode(v[i]);
}

// By a table over the fourth root, which bends little anywhere; `steps` intervals.
void encode_row(float* __restrict v, int count, const float* __restrict table, int steps) {
  for (int i = 0; i < count; ++i) {
    float held = v[i] > 0 ? v[i] : 0.0f;
    held = held < 1 ? held : 1.0f;
    const float place = std::sqrt(std::sqrt(held)) * static_cast<float>(steps);
    int at = static_cast<int>(place);
    at = at < steps ? at : steps - 1;
    const float t = place - static_cast<float>(at);
    v[i] = table[at] + t * (table[at + 1] - table[at]);
  }
}

namespace hn = hwy::HWY_NAMESPACE;

// To integers, interleaved. dither: 128 values, the second half like the first. Black and white
// stay exact: no noise where there is nothing to hide.
void pack8_row(const float* r, const float* g, const float* b, int width, const float* dither,
               std::uint8_t* out) {
  const float* in[3] = {r, g, b};
  const hn::ScalableTag<float> d;
  const hn::Rebind<std::uint8_t, decltype(d)> bytes;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  auto pack = [&](int c) HWY_ATTR {
    const auto v = hn::LoadU(d, in[c] + x), one = hn::Set(d, 1);
    const auto inside = hn::And(hn::Gt(v, hn::Zero(d)), hn::Lt(v, one));
    const auto noise = hn::Mul(hn::LoadU(d, dither + ((x + 17 * c) & 63)), hn::Set(d, 0.5f));
    auto sum = hn::Add(hn::Mul(v, hn::Set(d, 255)), hn::Set(d, 0.5f));
    sum = hn::Add(sum, hn::IfThenElseZero(inside, noise));
    sum = hn::Min(hn::Max(sum, hn::Zero(d)), hn::Set(d, 255.4f));
    return hn::DemoteTo(bytes, hn::ConvertTo(hn::RebindToSigned<decltype(d)>(), sum));
  };
  for (; x + lanes <= width; x += lanes)
    hn::StoreInterleaved3(pack(0), pack(1), pack(2), bytes, out + 3 * static_cast<std::size_t>(x));
  for (; x < width; ++x)
    for (int c = 0; c < 3; ++c) {
      const float v = in[c][x];
      const float noise = v > 0 && v < 1 ? dither[(x + 17 * c) & 63] * 0.5f : 0.0f;
      float sum = v * 255 + 0.5f + noise;
      sum = sum > 0 ? sum : 0.0f;
      sum = sum < 255.4f ? sum : 255.4f;
      out[3 * x + c] = static_cast<std::uint8_t>(static_cast<int>(sum));
    }
}

void pack16_row(const float* __restrict r, const float* __restrict g, const float* __restrict b,
                int width, std::uint16_t* __restrict out) {
  for (int x = 0; x < width; ++x) {
    out[3 * x] = static_cast<std::uint16_t>(static_cast<int>(r[x] * 65535 + 0.5f));
    out[3 * x + 1] = static_cast<std::uint16_t>(static_cast<int>(g[x] * 65535 + 0.5f));
    out[3 * x + 2] = static_cast<std::uint16_t>(static_cast<int>(b[x] * 65535 + 0.5f));
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(fit_row);
HWY_EXPORT(encode_srgb_row);
HWY_EXPORT(encode_row);
HWY_EXPORT(pack8_row);
HWY_EXPORT(pack16_row);
namespace {

constexpr int kSteps = 8192;

// The transfer function over the fourth root of light.
const std::vector<float>& transfer_table(ColourSpace space) {
  static const auto all = [] {
    std::array<std::vector<float>, ColourSpaces::kCount> out;
    for (const ColourSpaceInfo& s : colour_spaces())
      for (int i = 0; i <= kSteps; ++i) {
        const double root = static_cast<double>(i) / kSteps;
        out[static_cast<std::size_t>(s.id)].push_back(
            static_cast<float>(s.transfer.encode(root * root * root * root)));
      }
    return out;
  }();
  return all[static_cast<std::size_t>(space)];
}

}  // namespace

// From a fixed 64x64 pattern, each row twice.
const float* dither_row(int y) {
  static const std::vector<float> pattern = [] {
    std::vector<float> p(64 * 128);
    for (std::uint32_t i = 0; i < p.size(); ++i) {
      const std::uint32_t h = hash3(i & 63, i >> 7, 7);
      p[i] = static_cast<float>((h & 0xFFFF) / 65536.0 - (h >> 16) / 65536.0);
    }
    return p;
  }();
  return pattern.data() + static_cast<std::ptrdiff_t>(y & 63) * 128;
}

void encode_rows(const Image& image, ColourSpace space, const EncodedRow& row) {
  const Mat3f matrix(rec2020_to(space));
  const std::vector<float>& table = transfer_table(space);
  parallel_rows(image.height, [&](int y0, int y1) {
    const int w = image.width;
    std::vector<float> line(static_cast<std::size_t>(w) * 3);
    float *r = line.data(), *g = r + w, *b = g + w;
    for (int y = y0; y < y1; ++y) {
      HWY_DYNAMIC_DISPATCH(fit_row)
      (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), w, matrix, r, g, b);
      // All three channels in a go.
      if (space == ColourSpace::srgb)
        HWY_DYNAMIC_DISPATCH(encode_srgb_row)(r, 3 * w);
      else
        HWY_DYNAMIC_DISPATCH(encode_row)(r, 3 * w, table.data(), kSteps);
      row(y, r, g, b);
    }
  });
}

Encoded8 encode8(const Image& image, ColourSpace space) {
  Encoded8 out(image.width, image.height);
  encode_rows(image, space, [&](int y, const float* r, const float* g, const float* b) {
    HWY_DYNAMIC_DISPATCH(pack8_row)(r, g, b, image.width, dither_row(y), out.row(y));
  });
  return out;
}

Encoded16 encode16(const Image& image, ColourSpace space) {
  Encoded16 out(image.width, image.height);
  encode_rows(image, space, [&](int y, const float* r, const float* g, const float* b) {
    HWY_DYNAMIC_DISPATCH(pack16_row)(r, g, b, image.width, out.row(y));
  });
  return out;
}

}  // namespace tsukimi
#endif
