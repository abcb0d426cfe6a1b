// SPDX-License-Identifier: GPL-3.0-or-later
#include "framing/warp.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "framing/warp.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#ifndef TSUKIMI_WARP_ONCE
#define TSUKIMI_WARP_ONCE
namespace tsukimi {
constexpr int kDegree = LanczosTaps::kDegree;
constexpr int kRows = 16;  // of the result, made together
struct TapList {
  const float* coefficients;  // kDegree + 1 for each tap
  int count;
};
struct Run {
  const float *from, *step, *gain, *gain_step;  // kRows of each
  int begin, end;                               // columns
};
// A line of straight pieces.
struct Pieces {
  int count;
  const int* ends;           // the first column behind each
  const float *from, *step;  // of each: from its first column on from, from + step, ...
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

// The least of neighbouring whole numbers, when they lie no more than one apart. Found from the
// first of them: comparing costs less than looking for the least.
struct Least {
  float value;
  bool close;
};
template <class D, class V>
HWY_ATTR Least least_of(D d, V whole) {
  const float first = hn::GetLane(whole);
  const float least = hn::AllFalse(d, hn::Lt(whole, hn::Set(d, first))) ? first : first - 1;
  return {least, hn::AllFalse(d, hn::Or(hn::Lt(whole, hn::Set(d, least)),
                                        hn::Gt(whole, hn::Set(d, least + 1))))};
}

// One value in each of neighbouring columns, at its own height. False, with nothing done, when the
// heights lie more than one row apart. rows: those of the taps at height 0.
template <class D>
HWY_ATTR bool height_lanes(D d, const float* const* rows, const float* at, int x,
                           const TapList& taps, float* out) {
  const auto y = hn::LoadU(d, at + x), whole = hn::Floor(y);
  const Least low = least_of(d, whole);
  if (!low.close) return false;
  const auto later = hn::Gt(whole, hn::Set(d, low.value));
  const auto t = hn::Sub(y, whole);
  const float* const* row = rows + static_cast<int>(low.value);
  auto sum = hn::Zero(d), least = hn::Zero(d), here = hn::LoadU(d, row[0] + x);
  for (int k = 0; k < taps.count; ++k) {
    const auto next = hn::LoadU(d, row[k + 1] + x);
    const auto w = weight(d, taps.coefficients + k * (kDegree + 1), t);
    const auto v = hn::IfThenElse(later, next, here);
    sum = hn::Add(sum, hn::Mul(w, v));
    least = hn::Min(least, v);
    here = next;
  }
  hn::StoreU(hn::Max(sum, least), d, out + x);
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

// One value of each of neighbouring rows, which lie side by side in `side`; false, with nothing
// done, when their places lie more than one column apart.
template <class D>
HWY_ATTR bool place_lanes(D d, const float* side, const float* at, const float* gain,
                          const TapList& taps, float* out) {
  const auto x = hn::LoadU(d, at), whole = hn::Floor(x), t = hn::Sub(x, whole);
  const Least low = least_of(d, whole);
  if (!low.close) return false;
  const auto later = hn::Gt(whole, hn::Set(d, low.value));
  const float* in = side + static_cast<std::ptrdiff_t>(low.value) * kRows;
  auto sum = hn::Zero(d), least = hn::Zero(d), here = hn::LoadU(d, in);
  for (int k = 0; k < taps.count; ++k) {
    const auto next = hn::LoadU(d, in + (k + 1) * kRows);
    const auto w = weight(d, taps.coefficients + k * (kDegree + 1), t);
    const auto v = hn::IfThenElse(later, next, here);
    sum = hn::Add(sum, hn::Mul(w, v));
    least = hn::Min(least, v);
    here = next;
  }
  hn::StoreU(hn::Mul(hn::Max(sum, least), hn::LoadU(d, gain)), d, out);
  return true;
}

// run: where each row is between two nodes of the mesh.
void run_across(const float* side, const Run& run, float least, float most, TapList taps,
                float* out) {
  const hn::CappedTag<float, kRows> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  HWY_ALIGN float at[kRows], gain[kRows];
  for (int x = run.begin; x < run.end; ++x) {
    const auto n = hn::Set(d, static_cast<float>(x - run.begin));
    for (int i = 0; i < kRows; i += lanes) {
      auto place = hn::Add(hn::LoadU(d, run.from + i), hn::Mul(n, hn::LoadU(d, run.step + i)));
      place = hn::Min(hn::Max(place, hn::Set(d, least)), hn::Set(d, most));
      hn::Store(place, d, at + i);
      hn::Store(hn::Add(hn::LoadU(d, run.gain + i), hn::Mul(n, hn::LoadU(d, run.gain_step + i))), d,
                gain + i);
      float* to = out + static_cast<std::ptrdiff_t>(x) * kRows + i;
      if (!place_lanes(d, side + i, at + i, gain + i, taps, to))
        for (int k = 0; k < lanes; ++k)
          (void)place_lanes(hn::CappedTag<float, 1>(), side + i + k, at + i + k, gain + i + k, taps,
                            to + k);
    }
  }
}

// kRows rows, one behind the other, to values side by side, and back.
void lay_side_by_side(const float* __restrict rows, std::size_t stride, int width,
                      float* __restrict out) {
  for (int x = 0; x < width; ++x)
    for (int k = 0; k < kRows; ++k) out[x * kRows + k] = rows[k * stride + x];
}
#if HWY_TARGET != HWY_SCALAR
// Four values of four rows, side by side, to the rows.
HWY_ATTR void turn4(const float* from, float* const* out, int x) {
  const hn::CappedTag<float, 4> d;
  const hn::Repartition<double, decltype(d)> pairs;
  const auto a = hn::LoadU(d, from), b = hn::LoadU(d, from + kRows),
             c = hn::LoadU(d, from + 2 * kRows), e = hn::LoadU(d, from + 3 * kRows);
  auto store = [&](auto low, auto high, int row) HWY_ATTR {
    const auto p = hn::BitCast(pairs, low), q = hn::BitCast(pairs, high);
    hn::StoreU(hn::BitCast(d, hn::ConcatLowerLower(pairs, q, p)), d, out[row] + x);
    hn::StoreU(hn::BitCast(d, hn::ConcatUpperUpper(pairs, q, p)), d, out[row + 1] + x);
  };
  store(hn::InterleaveLower(d, a, b), hn::InterleaveLower(d, c, e), 0);
  store(hn::InterleaveUpper(d, a, b), hn::InterleaveUpper(d, c, e), 2);
}
#endif

void lay_in_rows(const float* __restrict side, int width, int count, float* const* out) {
  for (int x0 = 0; x0 < width; x0 += kRows) {
    const int n = width - x0 < kRows ? width - x0 : kRows;
    const float* __restrict from = side + static_cast<std::size_t>(x0) * kRows;
    int done = 0;
#if HWY_TARGET != HWY_SCALAR
    if (n == kRows)
      for (; done + 4 <= count; done += 4)
        for (int x = 0; x < kRows; x += 4) turn4(from + x * kRows + done, out + done, x0 + x);
#endif
    for (int k = done; k < count; ++k) {
      float* __restrict to = out[k] + x0;
      for (int x = 0; x < n; ++x) to[x] = from[x * kRows + k];
    }
  }
}

// Heights of neighbouring columns, held inside.
void ramps(const Pieces& pieces, float least, float most, float* __restrict out) {
  int begin = 0;
  for (int k = 0; k < pieces.count; ++k) {
    const float a = pieces.from[k], s = pieces.step[k];
    const int count = pieces.ends[k] - begin;
    float* __restrict to = out + begin;
    for (int x = 0; x < count; ++x) {
      float v = a + static_cast<float>(x) * s;
      v = v > least ? v : least;
      to[x] = v < most ? v : most;
    }
    begin = pieces.ends[k];
  }
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(heights_row);
HWY_EXPORT(run_across);
HWY_EXPORT(lay_side_by_side);
HWY_EXPORT(lay_in_rows);
HWY_EXPORT(ramps);

struct Warp::Scratch {
  Span columns;                       // of the source
  Span mesh;                          // columns of it
  std::vector<WarpMesh::Node> nodes;  // of kRows rows of the result
  std::vector<const float*> rows;     // of the source, the border ones repeated on either side
  std::vector<int> ends;
  std::vector<float> from, step, at;
  std::vector<float> lines, side, across;  // kRows rows of the source's columns, of the tile
};

static WarpMesh::Node between(const WarpMesh::Node& p, const WarpMesh::Node& q, float t) {
  WarpMesh::Node out;
  for (int c = 0; c < 3; ++c) {
    out.x[c] = p.x[c] + t * (q.x[c] - p.x[c]);
    out.y[c] = p.y[c] + t * (q.y[c] - p.y[c]);
  }
  out.gain = p.gain + t * (q.gain - p.gain);
  return out;
}

// Of a tile w wide and h high, margins m and a slope t, the source gives (w + m) (h + m + t w): for
// its size the least at w^2 = m (h + m) / t.
static int best_width(double slope, Size result) {
  if (slope == 0) return result.width;
  constexpr double kMargins = 24, kHeight = 64;
  const double best = std::sqrt(kMargins * (kHeight + kMargins) / slope);
  return std::min(result.width, std::max(2, static_cast<int>(std::lround(best / 32))) * 32);
}

Warp::Warp(Size source, Size result, WarpMesh mesh, const Sampling& sampling)
    : source_(source),
      result_(result),
      mesh_(std::move(mesh)),
      across_(sampling.across, sampling.quick ? 2 : 3),
      down_(sampling.down, sampling.quick ? 2 : 3),
      slope_(sampling.slope),
      tile_width_(best_width(sampling.slope, result)) {}

Warp::Nodes Warp::nodes_of(const Tile& tile) const {
  auto between = [](int first, int last, int pixels, int nodes) {
    const double per = pixels > 1 ? (nodes - 1.0) / (pixels - 1) : 0;
    return Span{std::min(static_cast<int>(first * per), nodes - 2),
                std::min(nodes - 1, static_cast<int>((last - 1) * per) + 1) + 1};
  };
  return {between(tile.y0, tile.y1, result_.height, mesh_.rows),
          between(tile.x0, tile.x1, result_.width, mesh_.columns)};
}

// Least and most of what `value` says of the places that a tile takes its light from. Between nodes
// these run straight, so that the nodes inside and the tile's border say it all.
template <typename Value>
std::pair<float, float> Warp::extent(const Tile& tile, const Nodes& near,
                                     const Value& value) const {
  float least = 1e9f, most = -1e9f;
  auto take = [&](const WarpMesh::Node& n) {
    for (float v : value(n)) least = std::min(least, v), most = std::max(most, v);
  };
  const bool stripe = tile.x1 - tile.x0 == result_.width;
  if (stripe)
    for (int row = near.rows.first; row < near.rows.last; ++row)
      for (int k = near.columns.first; k < near.columns.last; ++k)
        take(mesh_.nodes[static_cast<std::size_t>(row) * mesh_.columns + k]);
  if (stripe) return {least, most};
  const float per = static_cast<float>(mesh_.columns - 1) / static_cast<float>(result_.width - 1);
  const float left = static_cast<float>(tile.x0) * per,
              right = static_cast<float>(tile.x1 - 1) * per;
  for (int y = tile.y0; y < tile.y1; ++y)
    for (int k = near.columns.first; k + 1 < near.columns.last; ++k) {
      const auto p = node(k, y), q = node(k + 1, y);
      for (float at : {left, right}) {
        const float t = std::clamp(at - static_cast<float>(k), 0.0f, 1.0f);
        take(between(p, q, t));
      }
    }
  return {least, most};
}

Span Warp::rows(const Tile& tile) const {
  const auto [least, most] =
      extent(tile, nodes_of(tile), [](const auto& n) -> const float(&)[3] { return n.y; });
  // Taps across reach beyond the tile, where the rows have climbed on.
  const bool stripe = tile.x1 - tile.x0 == result_.width;
  const int reach =
      down_.reach + (stripe ? 0 : static_cast<int>(std::ceil(slope_ * (across_.reach + 2))));
  const int first = std::clamp(static_cast<int>(std::floor(least)) - reach, 0, source_.height - 1);
  return {first,
          std::clamp(static_cast<int>(std::ceil(most)) + reach + 1, first + 1, source_.height)};
}

Span Warp::columns(const Tile& tile) const {
  Nodes near = nodes_of(tile);
  near.rows = {0, mesh_.rows};  // stripes all ask for the same columns
  const auto [least, most] =
      extent(tile, near, [](const auto& n) -> const float(&)[3] { return n.x; });
  const int first =
      std::clamp(static_cast<int>(std::floor(least)) - across_.reach, 0, source_.width - 1);
  return {first, std::clamp(static_cast<int>(std::ceil(most)) + across_.reach + 1, first + 1,
                            source_.width)};
}

WarpMesh::Node Warp::node(int column, int y) const {
  const float fy = result_.height > 1 ? static_cast<float>(y) * static_cast<float>(mesh_.rows - 1) /
                                            static_cast<float>(result_.height - 1)
                                      : 0.0f;
  const int row = std::min(static_cast<int>(fy), mesh_.rows - 2);
  const float t = fy - static_cast<float>(row);
  const auto* p = mesh_.nodes.data() + static_cast<std::size_t>(row) * mesh_.columns + column;
  return between(p[0], p[mesh_.columns], t);
}

// First along the columns: for every column of the source, light at the height from which this row
// takes it.
void Warp::take_heights(const Band& source, int c, const WarpMesh::Node* nodes, Scratch& s,
                        float* out) const {
  const int pad = down_.reach + 2;
  s.rows.resize(static_cast<std::size_t>(source_.height) + 2 * pad);
  float least = 1e9f, most = -1e9f;
  for (int k = s.mesh.first; k < s.mesh.last; ++k)
    least = std::min(least, nodes[k].y[c]), most = std::max(most, nodes[k].y[c]);
  least = std::clamp(least, -1.0f, static_cast<float>(source_.height));
  most = std::clamp(most, -1.0f, static_cast<float>(source_.height));
  for (int i = static_cast<int>(std::floor(least)) - pad; i <= static_cast<int>(most) + pad; ++i) {
    if (i < -pad || i >= source_.height + pad) continue;
    // Never outside of what there is, whatever a mesh says.
    const int row = std::clamp(i, source.top, source.top + source.image.height - 1);
    s.rows[i + pad] =
        source.image.planes[c].row(row - source.top) + (s.columns.first - source.left);
  }
  const int pieces = s.mesh.count() - 1;
  s.ends.resize(pieces), s.from.resize(pieces), s.step.resize(pieces);
  int begin = s.columns.first;
  for (int k = 0; k < pieces; ++k) {
    const auto &p = nodes[s.mesh.first + k], &q = nodes[s.mesh.first + k + 1];
    const float slope = (q.y[c] - p.y[c]) / std::max(q.x[c] - p.x[c], 1e-3f);
    s.from[k] = p.y[c] + (static_cast<float>(begin) - p.x[c]) * slope;
    s.step[k] = slope;
    begin = k + 1 == pieces
                ? s.columns.last
                : std::clamp(static_cast<int>(std::ceil(q.x[c])), begin, s.columns.last);
    s.ends[k] = begin - s.columns.first;
  }
  s.at.resize(s.columns.count());
  HWY_DYNAMIC_DISPATCH(ramps)
  ({pieces, s.ends.data(), s.from.data(), s.step.data()}, least, most, s.at.data());
  HWY_DYNAMIC_DISPATCH(heights_row)
  (s.rows.data() + pad - (down_.reach - 1), s.at.data(), s.columns.count(),
   {down_.coefficients.data(), 2 * down_.reach}, out);
}

void Warp::take_rows(int c, const Tile& tile, Scratch& s) const {
  const int margin = across_.reach + 2, width = s.columns.count();
  // Padded on either side, so that no tap lies outside.
  s.side.resize(static_cast<std::size_t>(width + 2 * margin) * kRows);
  float* side = s.side.data() + static_cast<std::size_t>(margin) * kRows;
  HWY_DYNAMIC_DISPATCH(lay_side_by_side)(s.lines.data(), width, width, side);
  for (int i = 1; i <= margin; ++i) {
    std::copy_n(side, kRows, side - static_cast<std::ptrdiff_t>(i) * kRows);
    std::copy_n(side + static_cast<std::ptrdiff_t>(width - 1) * kRows, kRows,
                side + static_cast<std::ptrdiff_t>(width - 1 + i) * kRows);
  }
  s.across.resize(static_cast<std::size_t>(tile.x1 - tile.x0) * kRows);
  const float cell = static_cast<float>(result_.width - 1) / static_cast<float>(mesh_.columns - 1);
  for (int k = s.mesh.first; k + 1 < s.mesh.last; ++k) {
    const float first = static_cast<float>(k) * cell;
    const int begin = std::max(tile.x0, static_cast<int>(std::ceil(first))),
              end = std::min(tile.x1,
                             k + 2 == mesh_.columns
                                 ? result_.width
                                 : static_cast<int>(std::ceil(static_cast<float>(k + 1) * cell)));
    if (begin >= end) continue;
    const float per = cell > 0 ? 1 / cell : 0.0f, into = (static_cast<float>(begin) - first) * per;
    float from[kRows], step[kRows], gain[kRows], gain_step[kRows];
    for (int i = 0; i < kRows; ++i) {
      const auto *p = s.nodes.data() + static_cast<std::size_t>(i) * mesh_.columns + k, *q = p + 1;
      step[i] = (q->x[c] - p->x[c]) * per;
      from[i] = p->x[c] + into * (q->x[c] - p->x[c]) - static_cast<float>(s.columns.first);
      gain_step[i] = (q->gain - p->gain) * per;
      gain[i] = p->gain + into * (q->gain - p->gain);
    }
    HWY_DYNAMIC_DISPATCH(run_across)
    (side - static_cast<std::ptrdiff_t>(across_.reach - 1) * kRows,
     {from, step, gain, gain_step, begin - tile.x0, end - tile.x0}, -1, static_cast<float>(width),
     {across_.coefficients.data(), 2 * across_.reach}, s.across.data());
  }
}

void Warp::run(const Band& source, const Tile& tile, Image& out) const {
  Scratch s;
  s.columns = columns(tile);
  // One more on either side: taps reach beyond the tile, and heights run on to there.
  const Span near = nodes_of(tile).columns;
  s.mesh = {std::max(0, near.first - 1), std::min(mesh_.columns, near.last + 1)};
  const auto width = static_cast<std::size_t>(s.columns.count());
  s.nodes.resize(static_cast<std::size_t>(mesh_.columns) * kRows);
  s.lines.resize(width * kRows);
  for (int top = tile.y0; top < tile.y1; top += kRows) {
    const int count = std::min(kRows, tile.y1 - top);
    for (int i = 0; i < kRows; ++i)  // the last rows stand in for those that are missing
      for (int k = s.mesh.first; k < s.mesh.last; ++k)
        s.nodes[static_cast<std::size_t>(i) * mesh_.columns + k] =
            node(k, top + std::min(i, count - 1));
    for (int c = 0; c < 3; ++c) {
      for (int i = 0; i < count; ++i)
        take_heights(source, c, s.nodes.data() + static_cast<std::size_t>(i) * mesh_.columns, s,
                     s.lines.data() + width * i);
      take_rows(c, tile, s);
      float* to[kRows] = {};
      for (int i = 0; i < count; ++i) to[i] = out.planes[c].row(top + i) + tile.x0;
      HWY_DYNAMIC_DISPATCH(lay_in_rows)(s.across.data(), tile.x1 - tile.x0, count, to);
    }
  }
}

Image warp(const Image& image, const Warp& how, Size result) {
  Image out(result.width, result.height);
  parallel_ranges((result.height + kRows - 1) / kRows, 2, [&](int first, int last) {
    how.run({image}, {0, first * kRows, result.width, std::min(last * kRows, result.height)}, out);
  });
  return out;
}

}  // namespace tsukimi
#endif
