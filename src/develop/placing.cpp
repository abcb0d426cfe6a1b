// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/placing.h"

#include <algorithm>
#include <cmath>

#include "develop/lens.h"
#include "image/orientation.h"

namespace tsukimi {
namespace {

// Source pixels per pixel of a picture whose upper edge is `along` and left edge `across`: of the
// pass along its rows, and of the one before it, which moves along the source's columns.
double along_rows(double along, int pixels) { return std::fabs(along) / pixels; }
double along_columns(double down_y, double down_x, double right_y, double right_x, int pixels) {
  return std::fabs(down_y - down_x * right_y / right_x) / pixels;
}

// The picture's upper and left edge, as long as they are in its middle: where the stars are held
// they are not the same everywhere.
struct Edges {
  Point right, down;
  explicit Edges(const Placement& p) : right(p.right), down(p.down) {
    if (!p.sky) return;
    constexpr double kNear = 0.01;
    auto across = [](Point a, Point b) {
      return Point{(b.x - a.x) / (2 * kNear), (b.y - a.y) / (2 * kNear)};
    };
    right = across(p.at(0.5 - kNear, 0.5), p.at(0.5 + kNear, 0.5));
    down = across(p.at(0.5, 0.5 - kNear), p.at(0.5, 0.5 + kNear));
  }
};

// Nodes along a side of the picture, given as it lies on the frame, that a field of light needs:
// between so many to a cycle a straight line is off by less than a hundredth.
int field_nodes(const PictureRecipe& r, Point side) {
  constexpr double kToACycle = 24;
  const GainField& field = r.light.field;
  if (field.empty()) return 0;
  const double cycles =
      std::fabs(side.x) * field.cycles_across() + std::fabs(side.y) * field.cycles_down();
  return static_cast<int>(std::ceil(kToACycle * cycles)) + 1;
}

}  // namespace

bool needs_mesh(const PictureRecipe& r) {
  return r.placement.is_turned() || !r.light.field.empty() || corrects_lens(r.look, r.lens.get());
}

Warp placing(const PictureRecipe& r, Size source, int orientation, bool quick, Rect covered) {
  const Placement& lies = r.placement;
  const bool side = lies_on_its_side(orientation);
  const Size result = side ? Size{lies.size.height, lies.size.width} : lies.size;
  // The frame's size in pixels of the source, upright.
  const double width = covered.w * (side ? source.height : source.width),
               height = covered.h * (side ? source.width : source.height);
  constexpr int kCell = 40, kColumns = 25, kRows = 17;  // cells in pixels of the result; at least
  WarpMesh mesh;
  mesh.columns =
      std::max({kColumns, result.width / kCell + 1, field_nodes(r, side ? lies.down : lies.right)});
  mesh.rows =
      std::max({kRows, result.height / kCell + 1, field_nodes(r, side ? lies.right : lies.down)});
  mesh.nodes.reserve(static_cast<std::size_t>(mesh.columns) * mesh.rows);
  for (int row = 0; row < mesh.rows; ++row)
    for (int column = 0; column < mesh.columns; ++column) {
      const double x = (result.width - 1.0) * column / (mesh.columns - 1),
                   y = (result.height - 1.0) * row / (mesh.rows - 1);
      const Point seen =
          upright_point({(x + 0.5) / result.width, (y + 0.5) / result.height}, orientation);
      const Point on_frame = lies.at(seen.x, seen.y), flat = lies.flat(seen.x, seen.y);
      auto through_lens = [&](Point p) {
        return lens_at(r.look, r.lens.get(), width, height, p.x * width - 0.5, p.y * height - 0.5);
      };
      auto node = through_lens(flat);
      // The sky was measured in frames as the lens drew them: its turn comes behind the lens.
      if (lies.sky) node.gain = through_lens(on_frame).gain;
      if (!r.light.field.empty())
        node.gain *= static_cast<float>(std::exp2(r.light.field.stops_at(on_frame.x, on_frame.y)));
      for (int c = 0; c < 3; ++c) {
        Point drawn{(node.x[c] + 0.5) / width, (node.y[c] + 0.5) / height};
        if (lies.sky) drawn = lies.sky->at(drawn);
        const Point from = point_in_file(
            {covered.x + drawn.x * covered.w, covered.y + drawn.y * covered.h}, orientation);
        node.x[c] = static_cast<float>(from.x * source.width - 0.5);
        node.y[c] = static_cast<float>(from.y * source.height - 0.5);
      }
      mesh.nodes.push_back(node);
    }
  const Edges edges(lies);
  const Point a{edges.right.x * width, edges.right.y * height},
      d{edges.down.x * width, edges.down.y * height};
  // On its side the picture's left edge runs along the source's rows.
  const double across = side ? along_rows(d.y, result.width) : along_rows(a.x, result.width),
               down = side ? along_columns(a.x, a.y, d.x, d.y, result.height)
                           : along_columns(d.y, d.x, a.y, a.x, result.height);
  const double slope = std::fabs(side ? d.x / d.y : a.y / a.x);
  return {source, result, std::move(mesh), {across, down, quick, slope}};
}

}  // namespace tsukimi
