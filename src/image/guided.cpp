// SPDX-License-Identifier: GPL-3.0-or-later
#include "image/guided.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "image/guided.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_GUIDED_ONCE
#define TSUKIMI_GUIDED_ONCE
namespace tsukimi {
constexpr int kEnlargeLanes = 16;
struct EnlargedRow {
  int small, width;   // columns of the small row, and of the result
  const int* at;      // for each column of the result the one on its left in the small row
  const float* part;  // and how far it lies from that: 0 to 1
};
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// Two rows of the small plane, mixed by `ty`, then enlarged. Neighbours take from a few
// neighbours, so one load and a shuffle do; between holds a vector more than the small row.
void enlarge(const float* __restrict above, const float* __restrict below, float ty,
             const EnlargedRow& row, float* __restrict between, float* out) {
  const auto [small, width, at, part] = row;
  for (int x = 0; x < small; ++x) between[x] = above[x] + ty * (below[x] - above[x]);
  between[small] = between[small - 1];
  const hn::CappedTag<float, kEnlargeLanes> d;
  const hn::RebindToSigned<decltype(d)> di;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) {
    const float* from = between + at[x];
    const auto i = hn::IndicesFromVec(d, hn::Sub(hn::LoadU(di, at + x), hn::Set(di, at[x])));
    const auto a = hn::TableLookupLanes(hn::LoadU(d, from), i),
               b = hn::TableLookupLanes(hn::LoadU(d, from + 1), i);
    hn::StoreU(hn::Add(a, hn::Mul(hn::LoadU(d, part + x), hn::Sub(b, a))), d, out + x);
  }
  for (; x < width; ++x) {
    const float a = between[at[x]], b = between[at[x] + 1];
    out[x] = a + part[x] * (b - a);
  }
}

template <class D>
HWY_ATTR void sum_lanes(D d, const float* const* rows, int count, int x, float* out) {
  auto sum = hn::LoadU(d, rows[0] + x);
  for (int k = 1; k < count; ++k) sum = hn::Add(sum, hn::LoadU(d, rows[k] + x));
  hn::StoreU(sum, d, out + x);
}

void sum_rows(const float* const* rows, int count, int width, float* out) {
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) sum_lanes(d, rows, count, x, out);
  for (; x < width; ++x) sum_lanes(hn::CappedTag<float, 1>(), rows, count, x, out);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(enlarge);
HWY_EXPORT(sum_rows);

Plane box_mean(const Plane& in, int radius) {
  const int w = in.width, h = in.height;
  Plane across(w, h), out(w, h);
  auto share = [radius](int i, int n) {
    return 1 / static_cast<float>(std::min(i + radius, n - 1) - std::max(i - radius, 0) + 1);
  };
  std::vector<float> shares(w);
  for (int x = 0; x < w; ++x) shares[x] = share(x, w);
  parallel_rows(h, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(w) + 2 * radius);  // zeros on either side
    std::vector<const float*> taps(2 * radius + 1);
    for (int k = 0; k <= 2 * radius; ++k) taps[k] = line.data() + k;
    for (int y = y0; y < y1; ++y) {
      std::copy_n(in.row(y), w, line.begin() + radius);
      HWY_DYNAMIC_DISPATCH(sum_rows)(taps.data(), 2 * radius + 1, w, across.row(y));
      for (int x = 0; x < w; ++x) across.at(x, y) *= shares[x];
    }
  });
  parallel_rows(h, [&](int y0, int y1) {
    std::vector<const float*> taps;
    for (int y = y0; y < y1; ++y) {
      taps.clear();
      for (int row = std::max(0, y - radius); row <= std::min(h - 1, y + radius); ++row)
        taps.push_back(across.row(row));
      HWY_DYNAMIC_DISPATCH(sum_rows)
      (taps.data(), static_cast<int>(taps.size()), w, out.row(y));
      const float one = share(y, h);
      for (int x = 0; x < w; ++x) out.at(x, y) *= one;
    }
  });
  return out;
}

GuidedCoefficients guided_filter(const Plane& guide, const Plane& input, int radius,
                                 double softness, double edge) {
  const std::size_t n = guide.data.size();
  auto mean_product_of = [&](const Plane& a, const Plane& b) {
    Plane product(a.width, a.height);
    for (std::size_t i = 0; i < n; ++i) product.data[i] = a.data[i] * b.data[i];
    return box_mean(product, radius);
  };
  const Plane mean = box_mean(guide, radius), mean_square = mean_product_of(guide, guide);
  const bool itself = &guide == &input;
  const Plane mean_in = itself ? mean : box_mean(input, radius),
              mean_product = itself ? mean_square : mean_product_of(guide, input);
  GuidedCoefficients out{Plane(guide.width, guide.height), Plane(guide.width, guide.height)};
  const auto eps = static_cast<float>(softness * softness),
             sharp = static_cast<float>(1 / (edge * edge));
  for (std::size_t i = 0; i < n; ++i) {
    const float var = std::max(0.0f, mean_square.data[i] - mean.data[i] * mean.data[i]);
    const float cov = mean_product.data[i] - mean.data[i] * mean_in.data[i];
    const float strong = var * sharp;
    const float a = cov / (var + eps / (1 + strong * strong) + 1e-6f);
    out.a.data[i] = a;
    out.b.data[i] = mean_in.data[i] - a * mean.data[i];
  }
  // Windows that see an edge know less of a place than those that do not: the mean leans to where
  // the filter is surest.
  out.a = box_mean(out.a, radius);
  out.b = box_mean(out.b, radius);
  return out;
}

Enlarge::Enlarge(Size small, Size large)
    : small_(small), large_(large), at_(large.width), part_(large.width) {
  const float scale = static_cast<float>(small.width) / static_cast<float>(large.width);
  for (int x = 0; x < large.width; ++x) {
    const float fx = std::clamp((static_cast<float>(x) + 0.5f) * scale - 0.5f, 0.0f,
                                static_cast<float>(small.width - 1));
    at_[x] = static_cast<int>(fx);
    part_[x] = fx - static_cast<float>(at_[x]);
  }
}

void Enlarge::row(const GuidedCoefficients& small, int y, float* a, float* b) const {
  const float fy = std::clamp((static_cast<float>(y) + 0.5f) * static_cast<float>(small_.height) /
                                      static_cast<float>(large_.height) -
                                  0.5f,
                              0.0f, static_cast<float>(small_.height - 1));
  const int y0 = static_cast<int>(fy), y1 = std::min(y0 + 1, small_.height - 1);
  const float ty = fy - static_cast<float>(y0);
  thread_local std::vector<float> between;
  between.resize(static_cast<std::size_t>(small_.width) + 2 + kEnlargeLanes);
  auto one = [&](const Plane& plane, float* out) {
    HWY_DYNAMIC_DISPATCH(enlarge)
    (plane.row(y0), plane.row(y1), ty, {small_.width, large_.width, at_.data(), part_.data()},
     between.data(), out);
  };
  one(small.a, a);
  one(small.b, b);
}

}  // namespace tsukimi
#endif
