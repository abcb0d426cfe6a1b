// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/lens.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

// The profile between its nodes; x and y in its columns and rows.
LensMesh::Node between(const LensMesh& mesh, double x, double y) {
  x = std::clamp(x, 0.0, LensMesh::kColumns - 1.0);
  y = std::clamp(y, 0.0, LensMesh::kRows - 1.0);
  const int column = std::min(static_cast<int>(x), LensMesh::kColumns - 2),
            row = std::min(static_cast<int>(y), LensMesh::kRows - 2);
  const auto tx = static_cast<float>(x - column), ty = static_cast<float>(y - row);
  const auto* p = mesh.nodes.data() + static_cast<std::size_t>(row) * LensMesh::kColumns + column;
  const auto* q = p + LensMesh::kColumns;
  auto mix = [&](float a, float b, float c, float d) {
    const float above = a + tx * (b - a), below = c + tx * (d - c);
    return above + ty * (below - above);
  };
  LensMesh::Node out;
  for (int c = 0; c < 3; ++c) {
    out.x[c] = mix(p[0].x[c], p[1].x[c], q[0].x[c], q[1].x[c]);
    out.y[c] = mix(p[0].y[c], p[1].y[c], q[0].y[c], q[1].y[c]);
  }
  out.gain = mix(p[0].gain, p[1].gain, q[0].gain, q[1].gain);
  return out;
}

}  // namespace

WarpMesh::Node lens_at(const Look& look, const LensMesh* profile, double width, double height,
                       double px, double py) {
  auto part = [&](Param p) { return look[p] / 100; };
  const double w = width - 1, h = height - 1, corner = std::hypot(w, h) / 2;
  const double amount = profile ? part(Param::lens_profile) : 0,
               k = -0.12 * part(Param::distortion);
  const double lateral[3] = {1 + 0.004 * part(Param::lateral_red), 1,
                             1 + 0.004 * part(Param::lateral_blue)};
  const double r2 = (std::pow(px - w / 2, 2) + std::pow(py - h / 2, 2)) / (corner * corner);
  LensMesh::Node known;
  if (profile)
    known = between(*profile, px / w * (LensMesh::kColumns - 1), py / h * (LensMesh::kRows - 1));
  WarpMesh::Node node;
  for (int c = 0; c < 3; ++c) {
    double x = px, y = py;
    if (profile) {
      x += amount * (known.x[c] * w - px);
      y += amount * (known.y[c] * h - py);
    }
    const double scale = (1 + k * (r2 - 1)) * lateral[c];
    node.x[c] = static_cast<float>(w / 2 + (x - w / 2) * scale);
    node.y[c] = static_cast<float>(h / 2 + (y - h / 2) * scale);
  }
  double gain = std::exp2(part(Param::lens_vignetting) * r2);
  if (profile) gain *= 1 + amount * (known.gain - 1);
  node.gain = static_cast<float>(gain);
  return node;
}

bool corrects_lens(const Look& look, const LensMesh* profile) {
  return (profile && look[Param::lens_profile] > 0) || look[Param::distortion] != 0 ||
         look[Param::lens_vignetting] != 0 || look[Param::lateral_red] != 0 ||
         look[Param::lateral_blue] != 0;
}

}  // namespace tsukimi
