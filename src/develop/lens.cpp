#include "develop/lens.h"

#include <algorithm>
#include <cmath>

#include "image/parallel.h"

namespace tsukimi {
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

float bilinear(const Plane& p, float x, float y) {
  x = std::clamp(x, 0.0f, static_cast<float>(p.width - 1));
  y = std::clamp(y, 0.0f, static_cast<float>(p.height - 1));
  const int x0 = std::min(static_cast<int>(x), p.width - 2),
            y0 = std::min(static_cast<int>(y), p.height - 2);
  const float fx = x - static_cast<float>(x0), fy = y - static_cast<float>(y0);
  const float *a = p.row(y0) + x0, *b = p.row(y0 + 1) + x0;
  const float above = a[0] + fx * (a[1] - a[0]), below = b[0] + fx * (b[1] - b[0]);
  return above + fy * (below - above);
}

float catmull_rom(const Plane& p, float x, float y) {
  if (!(x >= 1 && y >= 1 && x < static_cast<float>(p.width - 2) &&
        y < static_cast<float>(p.height - 2)))
    return bilinear(p, x, y);
  const int x0 = static_cast<int>(x), y0 = static_cast<int>(y);
  auto weights = [](float t, float w[4]) {
    w[0] = 0.5f * t * (-1 + t * (2 - t));
    w[1] = 0.5f * (2 + t * t * (-5 + 3 * t));
    w[2] = 0.5f * t * (1 + t * (4 - 3 * t));
    w[3] = 0.5f * t * t * (t - 1);
  };
  float wx[4], wy[4];
  weights(x - static_cast<float>(x0), wx);
  weights(y - static_cast<float>(y0), wy);
  float sum = 0;
  for (int j = 0; j < 4; ++j) {
    const float* row = p.row(y0 + j - 1) + x0 - 1;
    sum += wy[j] * (wx[0] * row[0] + wx[1] * row[1] + wx[2] * row[2] + wx[3] * row[3]);
  }
  return sum;
}

template <typename Sample>
void warp(const Image& in, const std::vector<LensMesh::Node>& mesh, Image& out,
          const Sample& sample) {
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const float fy = static_cast<float>(y) * (LensMesh::kRows - 1) /
                       static_cast<float>(std::max(1, in.height - 1));
      const int row = std::min(static_cast<int>(fy), LensMesh::kRows - 2);
      const float ty = fy - static_cast<float>(row);
      const LensMesh::Node *a = mesh.data() + static_cast<std::size_t>(row) * LensMesh::kColumns,
                           *b = a + LensMesh::kColumns;
      for (int column = 0; column + 1 < LensMesh::kColumns; ++column) {
        // From node to node everything runs straight.
        auto at = [&](int i, auto pick) {
          const float u = pick(a[column + i]), v = pick(b[column + i]);
          return u + ty * (v - u);
        };
        const float cell = static_cast<float>(in.width - 1) / (LensMesh::kColumns - 1);
        const int x0 = static_cast<int>(std::ceil(static_cast<float>(column) * cell)),
                  x1 = column + 2 == LensMesh::kColumns
                           ? in.width
                           : static_cast<int>(std::ceil(static_cast<float>(column + 1) * cell));
        auto gain_of = [](const LensMesh::Node& n) { return n.gain; };
        const float gain0 = at(0, gain_of), gain1 = at(1, gain_of);
        for (int c = 0; c < 3; ++c) {
          auto x_of = [c](const LensMesh::Node& n) { return n.x[c]; };
          auto y_of = [c](const LensMesh::Node& n) { return n.y[c]; };
          const float sx = at(0, x_of), ex = at(1, x_of), sy = at(0, y_of), ey = at(1, y_of);
          float* dst = out.planes[c].row(y);
          for (int x = x0; x < x1; ++x) {
            const float t = (static_cast<float>(x) - static_cast<float>(column) * cell) / cell;
            dst[x] = (gain0 + t * (gain1 - gain0)) *
                     sample(in.planes[c], sx + t * (ex - sx), sy + t * (ey - sy));
          }
        }
      }
    }
  });
}

}  // namespace

bool corrects_lens(const Look& look, const LensMesh* profile) {
  return (profile && look[Param::lens_profile] > 0) || look[Param::distortion] != 0 ||
         look[Param::lens_vignetting] != 0 || look[Param::lateral_red] != 0 ||
         look[Param::lateral_blue] != 0;
}

Image correct_lens(const Image& image, const Look& look, const LensMesh* profile, bool fine) {
  if (image.width < 4 || image.height < 4) return image;
  const auto mesh = combined_mesh(look, profile, image.size());
  Image out(image.width, image.height);
  if (fine)
    warp(image, mesh, out, catmull_rom);
  else
    warp(image, mesh, out, bilinear);
  return out;
}

}  // namespace tsukimi
