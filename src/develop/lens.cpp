#include "develop/lens.h"

#include <algorithm>
#include <cmath>

#include "image/orientation.h"

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

// Profile and manual amounts at a pixel of the upright frame.
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

}  // namespace

bool corrects_lens(const Look& look, const LensMesh* profile) {
  return (profile && look[Param::lens_profile] > 0) || look[Param::distortion] != 0 ||
         look[Param::lens_vignetting] != 0 || look[Param::lateral_red] != 0 ||
         look[Param::lateral_blue] != 0;
}

Warp lens_warp(const Look& look, const LensMesh* profile, Size source, int orientation, Rect crop,
               Size result, bool quick, Rect covered) {
  const bool side = lies_on_its_side(orientation);
  // The frame's size in pixels of the source, upright.
  const double width = covered.w * (side ? source.height : source.width),
               height = covered.h * (side ? source.width : source.height);
  constexpr int kCell = 40, kColumns = 25, kRows = 17;  // cells in pixels of the result; at least
  WarpMesh mesh;
  mesh.columns = std::max(kColumns, result.width / kCell + 1);
  mesh.rows = std::max(kRows, result.height / kCell + 1);
  mesh.nodes.reserve(static_cast<std::size_t>(mesh.columns) * mesh.rows);
  for (int row = 0; row < mesh.rows; ++row)
    for (int column = 0; column < mesh.columns; ++column) {
      const double x = (result.width - 1.0) * column / (mesh.columns - 1),
                   y = (result.height - 1.0) * row / (mesh.rows - 1);
      const Place seen =
          upright_place({(x + 0.5) / result.width, (y + 0.5) / result.height}, orientation);
      auto node = lens_at(look, profile, width, height, (crop.x + seen.x * crop.w) * width - 0.5,
                          (crop.y + seen.y * crop.h) * height - 0.5);
      for (int c = 0; c < 3; ++c) {
        const Place from = place_in_file({covered.x + (node.x[c] + 0.5) / width * covered.w,
                                          covered.y + (node.y[c] + 0.5) / height * covered.h},
                                         orientation);
        node.x[c] = static_cast<float>(from.x * source.width - 0.5);
        node.y[c] = static_cast<float>(from.y * source.height - 0.5);
      }
      mesh.nodes.push_back(node);
    }
  const double along = crop.w * width / (side ? result.height : result.width),
               down = crop.h * height / (side ? result.width : result.height);
  return {source, result, std::move(mesh), side ? down : along, side ? along : down, quick};
}

Image correct_lens(const Image& image, const Look& look, const LensMesh* profile) {
  return warp(image, lens_warp(look, profile, image.size(), 1, {}, image.size()), image.size());
}

}  // namespace tsukimi
