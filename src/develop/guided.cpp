#include "develop/guided.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/guided.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

template <class D>
HWY_ATTR void enlarge_lanes(D d, const float* small, const int* at, const float* part, float* out) {
  const auto i = hn::LoadU(hn::RebindToSigned<D>(), at);
  const auto a = hn::GatherIndex(d, small, i), b = hn::GatherIndex(d, small + 1, i);
  hn::StoreU(hn::Add(a, hn::Mul(hn::LoadU(d, part), hn::Sub(b, a))), d, out);
}

// Two rows of the small plane, mixed by `ty`, then enlarged.
void enlarge(const float* __restrict above, const float* __restrict below, float ty, int small,
             float* __restrict between, const int* at, const float* part, int width, float* out) {
  for (int x = 0; x < small; ++x) between[x] = above[x] + ty * (below[x] - above[x]);
  between[small] = between[small - 1];
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) enlarge_lanes(d, between, at + x, part + x, out + x);
  for (; x < width; ++x)
    enlarge_lanes(hn::CappedTag<float, 1>(), between, at + x, part + x, out + x);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(enlarge);

Plane box_mean(const Plane& in, int radius) {
  const int w = in.width, h = in.height;
  Plane across(w, h), out(w, h);
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float* src = in.row(y);
      float* dst = across.row(y);
      double sum = 0;
      for (int x = 0; x < std::min(radius, w); ++x) sum += src[x];
      for (int x = 0; x < w; ++x) {
        if (x + radius < w) sum += src[x + radius];
        if (x - radius - 1 >= 0) sum -= src[x - radius - 1];
        const int n = std::min(x + radius, w - 1) - std::max(x - radius, 0) + 1;
        dst[x] = static_cast<float>(sum / n);
      }
    }
  });
  // Columns in blocks: every block starts its own sums, always at the same places.
  constexpr int kBlock = 32;
  parallel_ranges((w + kBlock - 1) / kBlock, 1, [&](int b0, int b1) {
    for (int block = b0; block < b1; ++block) {
      const int x0 = block * kBlock, x1 = std::min(w, x0 + kBlock);
      double sum[kBlock] = {};
      for (int y = 0; y < std::min(radius, h); ++y)
        for (int x = x0; x < x1; ++x) sum[x - x0] += across.row(y)[x];
      for (int y = 0; y < h; ++y) {
        const float* in_row = y + radius < h ? across.row(y + radius) : nullptr;
        const float* out_row = y - radius - 1 >= 0 ? across.row(y - radius - 1) : nullptr;
        const int n = std::min(y + radius, h - 1) - std::max(y - radius, 0) + 1;
        float* dst = out.row(y);
        for (int x = x0; x < x1; ++x) {
          if (in_row) sum[x - x0] += in_row[x];
          if (out_row) sum[x - x0] -= out_row[x];
          dst[x] = static_cast<float>(sum[x - x0] / n);
        }
      }
    }
  });
  return out;
}

GuidedCoefficients guided_filter(const Plane& guide, const Plane& input, int radius,
                                 double softness, double edge) {
  const std::size_t n = guide.data.size();
  Plane square(guide.width, guide.height), product(guide.width, guide.height);
  for (std::size_t i = 0; i < n; ++i) {
    square.data[i] = guide.data[i] * guide.data[i];
    product.data[i] = guide.data[i] * input.data[i];
  }
  const Plane mean = box_mean(guide, radius), mean_in = box_mean(input, radius),
              mean_square = box_mean(square, radius), mean_product = box_mean(product, radius);
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
  thread_local std::vector<float> between;  // one value more: the last column has a neighbour
  between.resize(static_cast<std::size_t>(small_.width) + 1);
  auto one = [&](const Plane& plane, float* out) {
    HWY_DYNAMIC_DISPATCH(enlarge)
    (plane.row(y0), plane.row(y1), ty, small_.width, between.data(), at_.data(), part_.data(),
     large_.width, out);
  };
  one(small.a, a);
  one(small.b, b);
}

}  // namespace tsukimi
#endif
