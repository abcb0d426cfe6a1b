// SPDX-License-Identifier: GPL-3.0-or-later
// Resampling along a mesh: the lens, the crop and the size of the result in one pass.
#pragma once

#include <vector>

#include "framing/geometry.h"
#include "image/lanczos.h"

namespace tsukimi {

// Where the light of each place of a result comes from, on a mesh over the result, from the middle
// of its first pixel to the middle of its last; between the nodes it runs straight.
struct WarpMesh {
  struct Node {
    float x[3], y[3];  // of each channel, in pixels of the source (0: middle of the first)
    float gain;        // that the light is multiplied by
  };
  int columns = 0, rows = 0;  // at least 2
  std::vector<Node> nodes;    // row by row
};

// Lanczos-3, widened for reduction, along the columns and then along the rows (Catmull & Smith,
// "3-D transformations of images in scanline order", 1980): fit for what bends the picture a
// little, not for turning it. The weights are polynomials of the place between two pixels, fitted
// to within half a per cent, a thousandth where the picture is reduced. Neighbouring places are
// taken together with plain loads: gathers are slow on many processors.
class Warp {
 public:
  struct Sampling {
    double across = 1, down = 1;  // source pixels per pixel of the result; below 1 counts as 1
    bool quick = false;           // Lanczos-2, two thirds of the work
    // By how many rows of the source a row of the result climbs per column; narrow tiles then need
    // less of it.
    double slope = 0;
  };
  Warp(Size source, Size result, WarpMesh mesh, const Sampling& sampling);

  // What of the source a tile of the result needs.
  Span rows(const Tile& tile) const;
  Span columns(const Tile& tile) const;
  // How wide tiles are best: where rows of the result run across rows of the source, narrow ones
  // need fewer of these.
  int tile_width() const { return tile_width_; }

  // A tile of the result. On one thread.
  void run(const Band& source, const Tile& tile, Image& out) const;

 private:
  struct Scratch;
  struct Nodes {  // of the mesh that a tile lies between: first and last rows and columns
    Span rows, columns;
  };
  Nodes nodes_of(const Tile& tile) const;
  template <typename Value>
  std::pair<float, float> extent(const Tile& tile, const Nodes& near, const Value& value) const;
  void take_heights(const Band& source, int channel, const WarpMesh::Node* nodes, Scratch& scratch,
                    float* out) const;
  void take_rows(int channel, const Tile& tile, Scratch& scratch) const;
  WarpMesh::Node node(int column, int y) const;  // between two rows of the mesh

  Size source_, result_;
  WarpMesh mesh_;
  LanczosTaps across_, down_;
  double slope_;
  int tile_width_;
};

// The whole result, on all cores.
Image warp(const Image& image, const Warp& how, Size result);

}  // namespace tsukimi
