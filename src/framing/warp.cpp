#include "framing/warp.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "framing/warp.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_WARP_ONCE
#define TSUKIMI_WARP_ONCE
namespace tsukimi {
constexpr int kDegree = 4;  // of the weights' polynomials
struct TapList {
  const float* coefficients;  // kDegree + 1 for each tap
  int count;
};
}  // namespace tsukimi
#endif

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

template <class D, class V>
HWY_ATTR V weight(D d, const float* c, V t) {
  V w = hn::Set(d, c[kDegree]);
  for (int k = kDegree - 1; k >= 0; --k) w = hn::Add(hn::Mul(w, t), hn::Set(d, c[k]));
  return w;
}

// One value in each of neighbouring columns, at its own height. False, with nothing done, when the
// heights lie more than one row apart. rows: those of the taps at height 0.
template <class D>
HWY_ATTR bool height_lanes(D d, const float* const* rows, const float* at, int x,
                           const TapList& taps, float* out) {
  const auto y = hn::LoadU(d, at + x), whole = hn::Floor(y);
  const float low = hn::GetLane(hn::MinOfLanes(d, whole));
  if (hn::GetLane(hn::MaxOfLanes(d, whole)) > low + 1) return false;
  const auto later = hn::Gt(whole, hn::Set(d, low));
  const auto t = hn::Sub(y, whole);
  const float* const* row = rows + static_cast<int>(low);
  auto sum = hn::Zero(d), here = hn::LoadU(d, row[0] + x);
  for (int k = 0; k < taps.count; ++k) {
    const auto next = hn::LoadU(d, row[k + 1] + x);
    const auto w = weight(d, taps.coefficients + k * (kDegree + 1), t);
    sum = hn::Add(sum, hn::Mul(w, hn::IfThenElse(later, next, here)));
    here = next;
  }
  hn::StoreU(sum, d, out + x);
  return true;
}

void heights_row(const float* const* rows, const float* at, int width, TapList taps, float* out) {
  const hn::ScalableTag<float> wide;
  const hn::CappedTag<float, 4> narrow;
  const hn::CappedTag<float, 1> one;
  auto piece = [&](int x, int count) HWY_ATTR {
    const int lanes = static_cast<int>(hn::Lanes(narrow));
    for (; count >= lanes && height_lanes(narrow, rows, at, x, taps, out); count -= lanes)
      x += lanes;
    for (; count > 0; --count) (void)height_lanes(one, rows, at, x++, taps, out);
  };
  const int lanes = static_cast<int>(hn::Lanes(wide));
  int x = 0;
  for (; x + lanes <= width; x += lanes)
    if (!height_lanes(wide, rows, at, x, taps, out)) piece(x, lanes);
  piece(x, width - x);
}

// Along a line, at places `at`; the line is padded so that no tap lies outside.
template <class D>
HWY_ATTR void across_lanes(D d, const float* line, const float* at, const float* gain,
                           const TapList& taps, float* out) {
  const auto x = hn::LoadU(d, at), whole = hn::Floor(x), t = hn::Sub(x, whole);
  const auto i = hn::ConvertTo(hn::RebindToSigned<D>(), whole);
  auto sum = hn::Zero(d);
  for (int k = 0; k < taps.count; ++k)
    sum = hn::Add(sum, hn::Mul(weight(d, taps.coefficients + k * (kDegree + 1), t),
                               hn::GatherIndex(d, line + k, i)));
  hn::StoreU(hn::Mul(sum, hn::LoadU(d, gain)), d, out);
}

void across_row(const float* line, const float* at, const float* gain, int width, TapList taps,
                float* out) {
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  int x = 0;
  for (; x + lanes <= width; x += lanes) across_lanes(d, line, at + x, gain + x, taps, out + x);
  for (; x < width; ++x)
    across_lanes(hn::CappedTag<float, 1>(), line, at + x, gain + x, taps, out + x);
}

// from, from + step, ..., held inside.
void ramp(float from, float step, float least, float most, int width, float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    float v = from + static_cast<float>(x) * step;
    v = v > least ? v : least;
    out[x] = v < most ? v : most;
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(heights_row);
HWY_EXPORT(across_row);
HWY_EXPORT(ramp);

struct Warp::Line {
  std::vector<WarpMesh::Node> nodes;  // of the row that is made
  std::vector<const float*> rows;     // of the source, the border ones repeated on either side
  std::vector<float> at, gain, values;
};

// Each tap's weights at kDegree + 1 places between two pixels give its polynomial; since the
// weights sum to 1 at every place, so do the polynomials.
Warp::Taps::Taps(double reduction) {
  const double widen = std::max(1.0, reduction);
  reach = static_cast<int>(std::ceil(3 * widen));
  constexpr int n = kDegree + 1;
  double place[n];
  for (int j = 0; j < n; ++j)  // Chebyshev's
    place[j] = 0.5 - 0.5 * std::cos(std::numbers::pi * (j + 0.5) / n);
  std::vector<double> value(static_cast<std::size_t>(2) * reach * n);
  for (int j = 0; j < n; ++j) {
    double sum = 0;
    for (int k = 0; k < 2 * reach; ++k)
      sum += value[k * n + j] = lanczos3((k - (reach - 1) - place[j]) / widen);
    for (int k = 0; k < 2 * reach; ++k) value[k * n + j] /= sum;
  }
  coefficients.resize(value.size());
  for (int k = 0; k < 2 * reach; ++k) {
    double whole[n] = {};
    for (int j = 0; j < n; ++j) {  // Lagrange
      double basis[n + 1] = {1}, scale = value[k * n + j];
      for (int i = 0; i < n; ++i) {
        if (i == j) continue;
        for (int p = n; p > 0; --p) basis[p] = basis[p - 1] - place[i] * basis[p];
        basis[0] *= -place[i];
        scale /= place[j] - place[i];
      }
      for (int p = 0; p < n; ++p) whole[p] += scale * basis[p];
    }
    for (int p = 0; p < n; ++p) coefficients[k * n + p] = static_cast<float>(whole[p]);
  }
}

Warp::Warp(Size source, Size result, WarpMesh mesh, double reduction_x, double reduction_y)
    : source_(source),
      result_(result),
      mesh_(std::move(mesh)),
      across_(reduction_x),
      down_(reduction_y) {
  float least = 1e9f, most = -1e9f;
  for (const auto& n : mesh_.nodes)
    for (float x : n.x) least = std::min(least, x), most = std::max(most, x);
  columns_.first =
      std::clamp(static_cast<int>(std::floor(least)) - across_.reach, 0, source.width - 1);
  columns_.last = std::clamp(static_cast<int>(std::ceil(most)) + across_.reach + 1,
                             columns_.first + 1, source.width);
}

Span Warp::rows(int y0, int y1) const {
  const double per_row = result_.height > 1 ? (mesh_.rows - 1.0) / (result_.height - 1) : 0;
  const int a = static_cast<int>(y0 * per_row),
            b = std::min(mesh_.rows - 1, static_cast<int>((y1 - 1) * per_row) + 1);
  float least = 1e9f, most = -1e9f;
  for (int row = a; row <= b; ++row)
    for (int column = 0; column < mesh_.columns; ++column)
      for (float y : mesh_.nodes[static_cast<std::size_t>(row) * mesh_.columns + column].y)
        least = std::min(least, y), most = std::max(most, y);
  const int first =
      std::clamp(static_cast<int>(std::floor(least)) - down_.reach, 0, source_.height - 1);
  return {first, std::clamp(static_cast<int>(std::ceil(most)) + down_.reach + 1, first + 1,
                            source_.height)};
}

WarpMesh::Node Warp::node(int column, int y) const {
  const float fy = result_.height > 1 ? static_cast<float>(y) * static_cast<float>(mesh_.rows - 1) /
                                            static_cast<float>(result_.height - 1)
                                      : 0.0f;
  const int row = std::min(static_cast<int>(fy), mesh_.rows - 2);
  const float t = fy - static_cast<float>(row);
  const auto* p = mesh_.nodes.data() + static_cast<std::size_t>(row) * mesh_.columns + column;
  const auto* q = p + mesh_.columns;
  WarpMesh::Node out;
  for (int c = 0; c < 3; ++c) {
    out.x[c] = p->x[c] + t * (q->x[c] - p->x[c]);
    out.y[c] = p->y[c] + t * (q->y[c] - p->y[c]);
  }
  out.gain = p->gain + t * (q->gain - p->gain);
  return out;
}

// First along the columns: for every column of the source, light at the height from which this row
// takes it.
void Warp::take_heights(const Band& source, int c, int y, Line& line) const {
  const int pad = down_.reach + 2, width = columns_.count();
  line.rows.resize(static_cast<std::size_t>(source_.height) + 2 * pad);
  const auto inside = rows(y, y + 1);
  for (int i = inside.first - pad; i < inside.last + pad; ++i) {
    const int row = std::clamp(i, inside.first, inside.last - 1);
    line.rows[i + pad] =
        source.image.planes[c].row(row - source.top) + (columns_.first - source.left);
  }
  line.at.resize(std::max(width, result_.width));
  float least = 1e9f, most = -1e9f;
  for (const auto& n : line.nodes) least = std::min(least, n.y[c]), most = std::max(most, n.y[c]);
  least = std::clamp(least, -1.0f, static_cast<float>(source_.height));
  most = std::clamp(most, -1.0f, static_cast<float>(source_.height));
  int s = columns_.first;
  for (int k = 0; k + 1 < mesh_.columns; ++k) {
    const auto &p = line.nodes[k], &q = line.nodes[k + 1];
    const float slope = (q.y[c] - p.y[c]) / std::max(q.x[c] - p.x[c], 1e-3f);
    const int end = k + 2 == mesh_.columns
                        ? columns_.last
                        : std::clamp(static_cast<int>(std::ceil(q.x[c])), s, columns_.last);
    HWY_DYNAMIC_DISPATCH(ramp)
    (p.y[c] + (static_cast<float>(s) - p.x[c]) * slope, slope, least, most, end - s,
     line.at.data() + (s - columns_.first));
    s = end;
  }
  const int margin = across_.reach + 2;
  line.values.resize(static_cast<std::size_t>(width) + 2 * margin);
  float* values = line.values.data() + margin;
  HWY_DYNAMIC_DISPATCH(heights_row)
  (line.rows.data() + pad - (down_.reach - 1), line.at.data(), width,
   {down_.coefficients.data(), 2 * down_.reach}, values);
  std::fill(line.values.begin(), line.values.begin() + margin, values[0]);
  std::fill(line.values.end() - margin, line.values.end(), values[width - 1]);
}

void Warp::take_row(int c, Line& line, float* out) const {
  line.gain.resize(result_.width);
  const float cell = static_cast<float>(result_.width - 1) / static_cast<float>(mesh_.columns - 1);
  for (int k = 0; k + 1 < mesh_.columns; ++k) {
    const auto &p = line.nodes[k], &q = line.nodes[k + 1];
    const float begin = static_cast<float>(k) * cell;
    const int x0 = static_cast<int>(std::ceil(begin)),
              x1 = k + 2 == mesh_.columns
                       ? result_.width
                       : static_cast<int>(std::ceil(static_cast<float>(k + 1) * cell));
    const float into = cell > 0 ? (static_cast<float>(x0) - begin) / cell : 0.0f,
                per = cell > 0 ? 1 / cell : 0.0f;
    HWY_DYNAMIC_DISPATCH(ramp)
    (p.x[c] + into * (q.x[c] - p.x[c]) - static_cast<float>(columns_.first),
     (q.x[c] - p.x[c]) * per, -1, static_cast<float>(columns_.count()), x1 - x0,
     line.at.data() + x0);
    HWY_DYNAMIC_DISPATCH(ramp)
    (p.gain + into * (q.gain - p.gain), (q.gain - p.gain) * per, 0, 1e9f, x1 - x0,
     line.gain.data() + x0);
  }
  HWY_DYNAMIC_DISPATCH(across_row)
  (line.values.data() + 3, line.at.data(), line.gain.data(), result_.width,
   {across_.coefficients.data(), 2 * across_.reach}, out);
}

void Warp::run(const Band& source, int y0, int y1, Image& out) const {
  Line line;
  line.nodes.resize(mesh_.columns);
  for (int y = y0; y < y1; ++y) {
    for (int k = 0; k < mesh_.columns; ++k) line.nodes[k] = node(k, y);
    for (int c = 0; c < 3; ++c) {
      take_heights(source, c, y, line);
      take_row(c, line, out.planes[c].row(y));
    }
  }
}

Image warp(const Image& image, const Warp& how, Size result) {
  Image out(result.width, result.height);
  parallel_rows(result.height, [&](int y0, int y1) { how.run({image}, y0, y1, out); });
  return out;
}

}  // namespace tsukimi
#endif
