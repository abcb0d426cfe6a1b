// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/local_light.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "develop/shrink.h"
#include "image/fast_math.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/local_light.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_LOCAL_LIGHT_ONCE
#define TSUKIMI_LOCAL_LIGHT_ONCE
namespace tsukimi {
constexpr float kLightFoot = 0.002f;     // light below this is noise: its logarithm stays calm
constexpr float kGreyLog = -2.4739312f;  // log2 of middle grey, 0.18
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

void log_row(const float* __restrict r, const float* __restrict g, const float* __restrict b,
             int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    float light = kLumaR * r[x] + kLumaG * g[x] + kLumaB * b[x];
    light = light > 0 ? light : 0.0f;
    out[x] = fast_log2(light + kLightFoot);
  }
}

// Stops by which highlights and shadows move, and local contrast: of one pixel.
HWY_ATTR inline float gain_of(float log, float a, float b, float highlights, float shadows,
                              float local) {
  const float base = a * log + b;
  const float e = base - kGreyLog;
  const float dark = 1 / (1 + fast_exp2(1.4f * (e + 1.6f)));
  const float bright = 1 / (1 + fast_exp2(-1.4f * (e - 0.6f)));
  const float detail = log - base;
  return 1.6f * shadows * dark + 1.4f * highlights * bright +
         0.9f * local * detail / (1 + detail * detail);
}

void gain_row(const float* __restrict log, const float* __restrict a, const float* __restrict b,
              int width, float highlights, float shadows, float local, float* __restrict stops) {
  for (int x = 0; x < width; ++x)
    stops[x] += gain_of(log[x], a[x], b[x], highlights, shadows, local);
}

// The same with what the places add at every pixel.
void gain_placed_row(const float* __restrict log, const float* __restrict a,
                     const float* __restrict b, int width, const float* __restrict highlights,
                     const float* __restrict shadows, const float* __restrict local,
                     float* __restrict stops) {
  for (int x = 0; x < width; ++x)
    stops[x] += gain_of(log[x], a[x], b[x], highlights[x], shadows[x], local[x]);
}

HWY_ATTR inline float sharpened(float log, float blurred, float amount, float mask) {
  const float d = log - blurred, size = std::fabs(d);
  const float seen = d * d / (d * d + mask);  // small differences are noise or sky
  float move = amount * d * seen;
  move = move < 0.4f ? move : 0.4f;
  move = move > -0.4f ? move : -0.4f;
  return size > 0 ? move : 0.0f;
}

void sharpen_row(const float* __restrict log, const float* __restrict blurred, int width,
                 float amount, float mask, float* __restrict stops) {
  for (int x = 0; x < width; ++x) stops[x] += sharpened(log[x], blurred[x], amount, mask);
}

void sharpen_placed_row(const float* __restrict log, const float* __restrict blurred, int width,
                        const float* __restrict amount, float mask, float* __restrict stops) {
  for (int x = 0; x < width; ++x) {
    const float here = amount[x] > 0 ? amount[x] : 0.0f;
    stops[x] += sharpened(log[x], blurred[x], here, mask);
  }
}

void scale_row(float* __restrict r, float* __restrict g, float* __restrict b,
               const float* __restrict stops, int width) {
  for (int x = 0; x < width; ++x) {
    const float gain = fast_exp2(stops[x]);
    r[x] *= gain;
    g[x] *= gain;
    b[x] *= gain;
  }
}

// How much air lies before a place at most: light of its darkest channel against the air's.
HWY_ATTR inline float least_against(float r, float g, float b, const float* per_air) {
  const float vr = r * per_air[0], vg = g * per_air[1], vb = b * per_air[2];
  const float rg = vr < vg ? vr : vg;
  const float least = rg < vb ? rg : vb;
  return least > 0 ? least : 0.0f;
}

void least_row(const float* __restrict r, const float* __restrict g, const float* __restrict b,
               int width, const float* per_air, float* __restrict out) {
  const float p[3] = {per_air[0], per_air[1], per_air[2]};
  for (int x = 0; x < width; ++x) {
    const float v = least_against(r[x], g[x], b[x], p);
    out[x] = v < 1 ? v : 1.0f;
  }
}

// What counts as air at a place: its own measure through the guided filter (a, b).
HWY_ATTR inline float veil_of(float r, float g, float b, float a, float offset, const float* p) {
  float own = least_against(r, g, b, p);
  own = own < 1 ? own : 1.0f;
  float veil = a * own + offset;
  veil = veil > 0 ? veil : 0.0f;
  return veil < 1 ? veil : 1.0f;
}

struct Air {
  float light, per_light;
  explicit Air(const float* air)
      : light(kLumaR * air[0] + kLumaG * air[1] + kLumaB * air[2]), per_light(1 / light) {}
};

HWY_ATTR inline void clear_pixel(float& r, float& g, float& b, float veil, float amount,
                                 const Air& air) {
  constexpr float kMost = 0.7f;   // of the light of a place is taken for air: t >= 0.3
  constexpr float kHeld = 0.75f;  // of its own light at most
  constexpr float kRicher = 1.4f;
  const float vr = r, vg = g, vb = b;
  float light = kLumaR * vr + kLumaG * vg + kLumaB * vb;
  light = light > 1e-6f ? light : 1e-6f;
  float v = amount * kMost * veil;
  // Bounded softly, so that nothing is pressed to black.
  const float over = v / (kHeld * light * air.per_light), over2 = over * over;
  v /= std::sqrt(std::sqrt(1 + over2 * over2));
  const float t = 1 - v, clear = (light - v * air.light) / t;
  const float gain = clear / light;
  // Colour comes back as light that was added is taken away, with the same hue; a channel that
  // is low already is pressed no further than to a tenth.
  float richer = light / (t * clear);
  richer = richer < kRicher ? richer : kRicher;
  const float rg = vr < vg ? vr : vg, least = rg < vb ? rg : vb;
  const float room = light - least;
  float allowed = 0.9f * light / (room > 1e-9f ? room : 1e-9f);
  allowed = allowed > 1 ? allowed : 1.0f;
  richer = richer < allowed ? richer : allowed;
  r = gain * (light + richer * (vr - light));
  g = gain * (light + richer * (vg - light));
  b = gain * (light + richer * (vb - light));
}

void clear_row(float* __restrict r, float* __restrict g, float* __restrict b,
               const float* __restrict a, const float* __restrict offset, int width, float amount,
               const float* air, const float* per_air) {
  const float p[3] = {per_air[0], per_air[1], per_air[2]};
  const Air all(air);
  for (int x = 0; x < width; ++x)
    clear_pixel(r[x], g[x], b[x], veil_of(r[x], g[x], b[x], a[x], offset[x], p), amount, all);
}

// The other way: more where there is some already.
void veil_row(float* __restrict r, float* __restrict g, float* __restrict b,
              const float* __restrict a, const float* __restrict offset, int width, float amount,
              const float* air, const float* per_air) {
  const float p[3] = {per_air[0], per_air[1], per_air[2]};
  const float ar = air[0], ag = air[1], ab = air[2];
  for (int x = 0; x < width; ++x) {
    const float add = amount * (0.25f + 0.6f * veil_of(r[x], g[x], b[x], a[x], offset[x], p));
    r[x] += (ar - r[x]) * add;
    g[x] += (ag - g[x]) * add;
    b[x] += (ab - b[x]) * add;
  }
}

// Either way, as the sum of look and places says at every pixel.
void haze_placed_row(float* __restrict r, float* __restrict g, float* __restrict b,
                     const float* __restrict a, const float* __restrict offset, int width,
                     const float* __restrict amount, const float* air, const float* per_air) {
  const float p[3] = {per_air[0], per_air[1], per_air[2]};
  const float ar = air[0], ag = air[1], ab = air[2];
  const Air all(air);
  for (int x = 0; x < width; ++x) {
    float h = amount[x];
    h = h < 1.2f ? h : 1.2f;
    h = h > -1 ? h : -1.0f;
    const float veil = veil_of(r[x], g[x], b[x], a[x], offset[x], p);
    const float positive = h > 0 ? h : 0.0f, negative = h < 0 ? -h : 0.0f;
    float cr = r[x], cg = g[x], cb = b[x];
    clear_pixel(cr, cg, cb, veil, positive, all);
    const float add = negative * (0.25f + 0.6f * veil);
    r[x] = h > 0 ? cr : r[x] + (ar - r[x]) * add;
    g[x] = h > 0 ? cg : g[x] + (ag - g[x]) * add;
    b[x] = h > 0 ? cb : b[x] + (ab - b[x]) * add;
  }
}

namespace hn = hwy::HWY_NAMESPACE;

// weights: of the middle row, and of those at each distance on either side of it.
template <class D>
HWY_ATTR void blur_lanes(D d, const float* const* middle, const float* weights, int reach, int x,
                         float* out) {
  auto sum = hn::Mul(hn::Set(d, weights[0]), hn::LoadU(d, middle[0] + x));
  for (int k = 1; k <= reach; ++k) {
    const auto both = hn::Add(hn::LoadU(d, middle[-k] + x), hn::LoadU(d, middle[k] + x));
    sum = hn::Add(sum, hn::Mul(hn::Set(d, weights[k]), both));
  }
  hn::StoreU(sum, d, out + x);
}

void blur_row(const float* const* middle, const float* weights, int reach, int width, float* out) {
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) blur_lanes(d, middle, weights, reach, x, out);
  for (; x < width; ++x) blur_lanes(hn::CappedTag<float, 1>(), middle, weights, reach, x, out);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
namespace {

constexpr int kDarkRadius = 3;
constexpr float kSharpest = 2.4f;

// The darkest channel (against the air) of each place's surroundings.
Plane dark_channel(const Image& small, const float air[3]) {
  const int w = small.width, h = small.height;
  Plane across(w, h), out(w, h);
  parallel_rows(h, [&](int y0, int y1) {
    std::vector<float> least(w);
    for (int y = y0; y < y1; ++y) {
      const float *r = small.planes[0].row(y), *g = small.planes[1].row(y),
                  *b = small.planes[2].row(y);
      for (int x = 0; x < w; ++x)
        least[x] = std::min(std::min(r[x] / air[0], g[x] / air[1]), b[x] / air[2]);
      for (int x = 0; x < w; ++x)
        across.at(x, y) = *std::min_element(least.begin() + std::max(0, x - kDarkRadius),
                                            least.begin() + std::min(w, x + kDarkRadius + 1));
    }
  });
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float* to = out.row(y);
      std::fill_n(to, w, 1.0f);
      for (int j = std::max(0, y - kDarkRadius); j <= std::min(h - 1, y + kDarkRadius); ++j)
        for (int x = 0; x < w; ++x) to[x] = std::min(to[x], across.at(x, j));
      for (int x = 0; x < w; ++x) to[x] = std::max(to[x], 0.0f);
    }
  });
  return out;
}

std::vector<float> gaussian(double sigma) {  // from its middle on; the whole sums to 1
  const int reach = std::max(1, static_cast<int>(std::ceil(2.6 * sigma)));
  std::vector<float> k(reach + 1);
  double sum = 0;
  for (int i = -reach; i <= reach; ++i) sum += std::exp(-0.5 * i * i / (sigma * sigma));
  for (int i = 0; i <= reach; ++i)
    k[i] = static_cast<float>(std::exp(-0.5 * i * i / (sigma * sigma)) / sum);
  return k;
}

}  // namespace

HWY_EXPORT(log_row);
HWY_EXPORT(gain_row);
HWY_EXPORT(gain_placed_row);
HWY_EXPORT(sharpen_row);
HWY_EXPORT(sharpen_placed_row);
HWY_EXPORT(scale_row);
HWY_EXPORT(least_row);
HWY_EXPORT(clear_row);
HWY_EXPORT(veil_row);
HWY_EXPORT(haze_placed_row);
HWY_EXPORT(blur_row);

LocalLight::LocalLight(const Image& image, const Look& look, const LocalAmounts& amounts)
    : amounts_(amounts), width_(image.width), height_(image.height) {
  auto part = [&](Param p) { return static_cast<float>(look[p] / 100); };
  highlights_ = part(Param::highlights);
  shadows_ = part(Param::shadows);
  local_ = part(Param::local_contrast);
  haze_ = part(Param::haze);
  sharp_ = kSharpest * part(Param::sharpness);
  radius_ = look[Param::sharpness_radius];
  const float m = 0.12f * part(Param::sharpness_masking);
  mask_ = m * m + 1e-7f;
  air_[0] = static_cast<float>(look[Param::airlight_red]);
  air_[1] = static_cast<float>(look[Param::airlight_green]);
  air_[2] = static_cast<float>(look[Param::airlight_blue]);
  for (int c = 0; c < 3; ++c) per_air_[c] = 1 / std::max(air_[c], 1e-3f);
  moved_in_places_ = amounts.uses(Param::place_highlights) || amounts.uses(Param::place_shadows) ||
                     amounts.uses(Param::place_local_contrast);
  clears_in_places_ = amounts.uses(Param::place_haze);
  sharpens_in_places_ = amounts.uses(Param::place_sharpness);
  moves_ = highlights_ != 0 || shadows_ != 0 || local_ != 0 || moved_in_places_;
  clears_ = haze_ != 0 || clears_in_places_;
  sharpens_ = sharp_ != 0 || sharpens_in_places_;
  changes_ = moves_ || clears_ || sharpens_;
  if (!changes_) return;
  if (moves_ || clears_) {
    const Image small = shrink(image);
    Plane log(small.width, small.height);
    for (int y = 0; y < small.height; ++y) HWY_DYNAMIC_DISPATCH(log_row)
    (small.planes[0].row(y), small.planes[1].row(y), small.planes[2].row(y), small.width,
     log.row(y));
    const int radius = base_radius(small.size());
    enlarge_ = Enlarge(small.size(), image.size());
    if (moves_) base_ = guided_filter(log, log, radius, 0.5, 0.45);
    if (clears_) {
      // Its own guide: an edge of the veil is an edge of the picture, pixel by pixel.
      Plane least(small.width, small.height);
      for (int y = 0; y < small.height; ++y) HWY_DYNAMIC_DISPATCH(least_row)
      (small.planes[0].row(y), small.planes[1].row(y), small.planes[2].row(y), small.width,
       per_air_, least.row(y));
      veil_ = guided_filter(least, least, radius, 0.05, 0.08);
    }
  }
  if (sharpens_) prepare_sharpness(image);
}

void LocalLight::prepare_sharpness(const Image& image) {
  log_ = Plane(width_, height_);
  blurred_ = Plane(width_, height_);
  Plane across(width_, height_);
  const auto kernel = gaussian(radius_);
  const int r = static_cast<int>(kernel.size()) - 1;
  parallel_rows(height_, [&](int y0, int y1) {
    std::vector<float> line(width_ + 2 * r);
    std::vector<const float*> taps(2 * r + 1);
    for (int k = 0; k <= 2 * r; ++k) taps[k] = line.data() + k;
    for (int y = y0; y < y1; ++y) {
      float* log = log_.row(y);
      HWY_DYNAMIC_DISPATCH(log_row)
      (image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), width_, log);
      std::copy(log, log + width_, line.begin() + r);
      std::fill(line.begin(), line.begin() + r, log[0]);
      std::fill(line.end() - r, line.end(), log[width_ - 1]);
      HWY_DYNAMIC_DISPATCH(blur_row)(taps.data() + r, kernel.data(), r, width_, across.row(y));
    }
  });
  parallel_rows(height_, [&](int y0, int y1) {
    std::vector<const float*> taps(2 * r + 1);
    for (int y = y0; y < y1; ++y) {
      for (int k = -r; k <= r; ++k) taps[k + r] = across.row(std::clamp(y + k, 0, height_ - 1));
      HWY_DYNAMIC_DISPATCH(blur_row)(taps.data() + r, kernel.data(), r, width_, blurred_.row(y));
    }
  });
}

// What the look asks for, and the places at every pixel; `per`: of the table's hundred.
const float* LocalLight::amount_row(float all, Param p, float per, int y, float* out) const {
  amounts_.sum(p, y, out);
  for (int x = 0; x < width_; ++x) out[x] = all + per * out[x];
  return out;
}

void LocalLight::haze(const Rows& p, int y, float* a, float* b, float* amount) const {
  enlarge_.row(*veil_, y, a, b);
  if (clears_in_places_) HWY_DYNAMIC_DISPATCH(haze_placed_row)
  (p.r, p.g, p.b, a, b, width_, amount_row(haze_, Param::place_haze, 0.01f, y, amount), air_,
   per_air_);
  else if (haze_ > 0)
      HWY_DYNAMIC_DISPATCH(clear_row)(p.r, p.g, p.b, a, b, width_, haze_, air_, per_air_);
  else HWY_DYNAMIC_DISPATCH(veil_row)(p.r, p.g, p.b, a, b, width_, -haze_, air_, per_air_);
}

void LocalLight::apply(const Rows& p, int y) const {
  // a, b, log, stops, and amounts of three adjustments: kept from row to row
  thread_local std::vector<float> scratch;
  scratch.resize(static_cast<std::size_t>(width_) * 7);
  float *a = scratch.data(), *b = a + width_, *log = b + width_, *stops = log + width_;
  float* amount[3] = {stops + width_, stops + 2 * width_, stops + 3 * width_};
  auto log_of = [&] { HWY_DYNAMIC_DISPATCH(log_row)(p.r, p.g, p.b, width_, log); };
  // The row comes as it was when sharpness was prepared.
  const float* before = sharpens_ ? log_.row(y) : log;
  if (!sharpens_) log_of();
  if (clears_) haze(p, y, a, b, amount[0]);
  if (!moves_ && !sharpens_) return;
  std::fill(stops, stops + width_, 0.0f);
  if (moves_) {
    enlarge_.row(*base_, y, a, b);
    if (clears_) log_of();
    const float* now = clears_ ? log : before;
    if (moved_in_places_) HWY_DYNAMIC_DISPATCH(gain_placed_row)
    (now, a, b, width_, amount_row(highlights_, Param::place_highlights, 0.01f, y, amount[0]),
     amount_row(shadows_, Param::place_shadows, 0.01f, y, amount[1]),
     amount_row(local_, Param::place_local_contrast, 0.01f, y, amount[2]), stops);
    else HWY_DYNAMIC_DISPATCH(gain_row)(now, a, b, width_, highlights_, shadows_, local_, stops);
  }
  if (sharpens_in_places_) HWY_DYNAMIC_DISPATCH(sharpen_placed_row)
  (log_.row(y), blurred_.row(y), width_,
   amount_row(sharp_, Param::place_sharpness, 0.01f * kSharpest, y, amount[0]), mask_, stops);
  else if (sharpens_)
      HWY_DYNAMIC_DISPATCH(sharpen_row)(log_.row(y), blurred_.row(y), width_, sharp_, mask_, stops);
  HWY_DYNAMIC_DISPATCH(scale_row)(p.r, p.g, p.b, stops, width_);
}

std::array<float, 3> measure_airlight(const Image& image) {
  const Image small = shrink(image);
  const float unit[3] = {1, 1, 1};
  const Plane dark = dark_channel(small, unit);
  std::vector<std::size_t> order(dark.data.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  const std::size_t most = std::max<std::size_t>(order.size() / 200, 1);
  std::nth_element(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(most), order.end(),
                   [&](std::size_t i, std::size_t j) { return dark.data[i] > dark.data[j]; });
  std::array<float, 3> air{0, 0, 0};
  for (std::size_t k = 0; k < most; ++k)
    for (int c = 0; c < 3; ++c) air[c] += small.planes[c].data[order[k]] / static_cast<float>(most);
  for (float& v : air) v = std::clamp(v, 0.01f, 4.0f);
  return air;
}

}  // namespace tsukimi
#endif
