#include "develop/lens.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "develop/lens.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace tsukimi::HWY_NAMESPACE {

namespace hn = hwy::HWY_NAMESPACE;

// Catmull-Rom between the two middle rows, at a place that moves by `slope` a column.
void mix_rows(const float* __restrict a, const float* __restrict b, const float* __restrict c,
              const float* __restrict d, int width, float part, float slope,
              float* __restrict out) {
  for (int x = 0; x < width; ++x) {
    const float t = part + static_cast<float>(x) * slope;
    const float w0 = 0.5f * t * (-1 + t * (2 - t)), w1 = 0.5f * (2 + t * t * (-5 + 3 * t));
    const float w2 = 0.5f * t * (1 + t * (4 - 3 * t)), w3 = 0.5f * t * t * (t - 1);
    out[x] = w0 * a[x] + w1 * b[x] + w2 * c[x] + w3 * d[x];
  }
}

// Catmull-Rom along a line (padded by at least three values), times a gain.
template <class D>
HWY_ATTR void mix_lanes(D d, const float* line, float most, float x, float from, float step,
                        float gain, float step_gain, float* out) {
  const hn::RebindToSigned<D> di;
  auto set = [&](float v) HWY_ATTR { return hn::Set(d, v); };
  auto mul = [](auto a, auto b) HWY_ATTR { return hn::Mul(a, b); };
  auto add = [](auto a, auto b) HWY_ATTR { return hn::Add(a, b); };
  const auto column = hn::Add(set(x), hn::Iota(d, 0));
  auto at = add(set(from), mul(column, set(step)));
  at = hn::Min(hn::Max(at, set(-1)), set(most));
  const auto whole = hn::Floor(at);
  const auto t = hn::Sub(at, whole);
  const auto i = hn::ConvertTo(di, whole);
  const auto half = mul(t, set(0.5f));
  const auto w0 = mul(half, hn::Sub(mul(t, hn::Sub(set(2), t)), set(1)));
  const auto w1 = mul(set(0.5f), add(set(2), mul(mul(t, t), hn::Sub(mul(set(3), t), set(5)))));
  const auto w2 = mul(half, add(set(1), mul(t, hn::Sub(set(4), mul(set(3), t)))));
  const auto w3 = mul(mul(half, t), hn::Sub(t, set(1)));
  auto sum = mul(w0, hn::GatherIndex(d, line - 1, i));
  sum = add(sum, mul(w1, hn::GatherIndex(d, line, i)));
  sum = add(sum, mul(w2, hn::GatherIndex(d, line + 1, i)));
  sum = add(sum, mul(w3, hn::GatherIndex(d, line + 2, i)));
  hn::StoreU(mul(sum, add(set(gain), mul(column, set(step_gain)))), d, out);
}

void mix_across(const float* line, int width, float from, float step, float gain, float step_gain,
                int count, float* out) {
  const hn::ScalableTag<float> d;
  const int lanes = static_cast<int>(hn::Lanes(d));
  const float most = static_cast<float>(width);
  int x = 0;
  for (; x + lanes <= count; x += lanes)
    mix_lanes(d, line, most, static_cast<float>(x), from, step, gain, step_gain, out + x);
  if (x < count && count >= lanes) {  // the rest together with some of what is done already
    x = count - lanes;
    mix_lanes(d, line, most, static_cast<float>(x), from, step, gain, step_gain, out + x);
    return;
  }
  for (; x < count; ++x)
    mix_lanes(hn::CappedTag<float, 1>(), line, most, static_cast<float>(x), from, step, gain,
              step_gain, out + x);
}

}  // namespace tsukimi::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace tsukimi {
HWY_EXPORT(mix_rows);
HWY_EXPORT(mix_across);
namespace {

// Profile and manual amounts in one mesh, in pixels of the image.
std::vector<LensMesh::Node> combined_mesh(const Look& look, const LensMesh* profile, Size size) {
  auto part = [&](Param p) { return look[p] / 100; };
  const double amount = profile ? part(Param::lens_profile) : 0,
               k = -0.12 * part(Param::distortion);
  const double lateral[3] = {1 + 0.004 * part(Param::lateral_red), 1,
                             1 + 0.004 * part(Param::lateral_blue)};
  const double w = size.width - 1, h = size.height - 1, corner = std::hypot(w, h) / 2;
  std::vector<LensMesh::Node> out(LensMesh::kNodes);
  for (int row = 0; row < LensMesh::kRows; ++row)
    for (int column = 0; column < LensMesh::kColumns; ++column) {
      const std::size_t i = static_cast<std::size_t>(row) * LensMesh::kColumns + column;
      const double px = w * column / (LensMesh::kColumns - 1), py = h * row / (LensMesh::kRows - 1);
      const double r2 = (std::pow(px - w / 2, 2) + std::pow(py - h / 2, 2)) / (corner * corner);
      auto& node = out[i];
      for (int c = 0; c < 3; ++c) {
        double x = px, y = py;
        if (profile) {
          x += amount * (profile->nodes[i].x[c] * w - px);
          y += amount * (profile->nodes[i].y[c] * h - py);
        }
        const double scale = (1 + k * (r2 - 1)) * lateral[c];
        node.x[c] = static_cast<float>(w / 2 + (x - w / 2) * scale);
        node.y[c] = static_cast<float>(h / 2 + (y - h / 2) * scale);
      }
      double gain = std::exp2(part(Param::lens_vignetting) * r2);
      if (profile) gain *= 1 + amount * (profile->nodes[i].gain - 1);
      node.gain = static_cast<float>(gain);
    }
  return out;
}

// One row of one channel, from the mesh's nodes on that row: light at column x comes from
// (from_x, from_y), straight between the nodes.
struct RowNodes {
  int count;  // small pictures need fewer nodes than the mesh has
  float from_x[LensMesh::kColumns], from_y[LensMesh::kColumns], gain[LensMesh::kColumns];
};

RowNodes nodes_of(const std::vector<LensMesh::Node>& mesh, int c, int y, Size size) {
  int step = 1;
  while (step < 8 && step * size.width < 40 * LensMesh::kColumns) step *= 2;
  const int height = size.height;
  const float fy = static_cast<float>(y) * (LensMesh::kRows - 1) / static_cast<float>(height - 1);
  const int row = std::min(static_cast<int>(fy), LensMesh::kRows - 2);
  const float t = fy - static_cast<float>(row);
  const LensMesh::Node *a = mesh.data() + static_cast<std::size_t>(row) * LensMesh::kColumns,
                       *b = a + LensMesh::kColumns;
  RowNodes out;
  out.count = (LensMesh::kColumns - 1) / step + 1;
  for (int i = 0; i < out.count; ++i) {
    const LensMesh::Node &p = a[i * step], &q = b[i * step];
    out.from_x[i] = p.x[c] + t * (q.x[c] - p.x[c]);
    out.from_y[i] = p.y[c] + t * (q.y[c] - p.y[c]);
    out.gain[i] = p.gain + t * (q.gain - p.gain);
  }
  return out;
}

constexpr int kPad = 4;  // columns beyond either end, repeated

// First along the columns: for every column of the source, light at the height from which this row
// takes it. Runs of columns that lie between the same rows are done at once.
void take_height(const Plane& in, const RowNodes& n, float* line) {
  const int w = in.width, h = in.height;
  for (int k = 0; k + 1 < n.count; ++k) {
    const float x0 = n.from_x[k],
                slope = (n.from_y[k + 1] - n.from_y[k]) / std::max(n.from_x[k + 1] - x0, 1e-3f);
    const bool first = k == 0, last = k + 2 == n.count;
    int s = first ? 0 : std::clamp(static_cast<int>(std::ceil(x0)), 0, w);
    const int end = last ? w : std::clamp(static_cast<int>(std::ceil(n.from_x[k + 1])), 0, w);
    while (s < end) {
      const float from = n.from_y[k] + (static_cast<float>(s) - x0) * slope;
      const float whole = std::floor(from);
      // How many columns until the height passes a row.
      int run = end - s;
      if (slope != 0) {
        const float room = slope > 0 ? whole + 1 - from : from - whole;
        run = std::clamp(static_cast<int>(room / std::fabs(slope)) + 1, 1, run);
      }
      const float* rows[4];
      for (int i = 0; i < 4; ++i)
        rows[i] = in.row(std::clamp(static_cast<int>(whole) + i - 1, 0, h - 1)) + s;
      HWY_DYNAMIC_DISPATCH(mix_rows)
      (rows[0], rows[1], rows[2], rows[3], run, from - whole, slope, line + kPad + s);
      s += run;
    }
  }
  for (int i = 0; i < kPad; ++i) {
    line[i] = line[kPad];
    line[kPad + w + i] = line[kPad + w - 1];
  }
}

void take_row(const float* line, const RowNodes& n, int width, float* out) {
  const float cell = static_cast<float>(width - 1) / (n.count - 1);
  for (int k = 0; k + 1 < n.count; ++k) {
    const int x0 = static_cast<int>(std::ceil(static_cast<float>(k) * cell)),
              x1 = k + 2 == n.count ? width
                                    : static_cast<int>(std::ceil(static_cast<float>(k + 1) * cell));
    const float into = (static_cast<float>(x0) - static_cast<float>(k) * cell) / cell;
    const float step_x = (n.from_x[k + 1] - n.from_x[k]) / cell,
                step_gain = (n.gain[k + 1] - n.gain[k]) / cell;
    HWY_DYNAMIC_DISPATCH(mix_across)
    (line + kPad, width, n.from_x[k] + into * cell * step_x, step_x,
     n.gain[k] + into * cell * step_gain, step_gain, x1 - x0, out + x0);
  }
}

}  // namespace

bool corrects_lens(const Look& look, const LensMesh* profile) {
  return (profile && look[Param::lens_profile] > 0) || look[Param::distortion] != 0 ||
         look[Param::lens_vignetting] != 0 || look[Param::lateral_red] != 0 ||
         look[Param::lateral_blue] != 0;
}

Image correct_lens(const Image& image, const Look& look, const LensMesh* profile) {
  if (image.width < LensMesh::kColumns || image.height < LensMesh::kRows) return image;
  const auto mesh = combined_mesh(look, profile, image.size());
  Image out(image.width, image.height);
  parallel_rows(image.height, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(image.width) + 2 * kPad);
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        const RowNodes nodes = nodes_of(mesh, c, y, image.size());
        take_height(image.planes[c], nodes, line.data());
        take_row(line.data(), nodes, image.width, out.planes[c].row(y));
      }
  });
  return out;
}

}  // namespace tsukimi
#endif
