// SPDX-License-Identifier: GPL-3.0-or-later
// The cheapest way to label the nodes of a grid with 0 or 1, where a label has a cost at each node
// and neighbours of two labels have one too: a minimum cut, by growing a tree from either side
// (Boykov & Kolmogorov, "An experimental comparison of min-cut/max-flow algorithms for energy
// minimization in vision", PAMI 2004). Costs are at least 0, in any unit.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace tsukimi {

class GridCut {
 public:
  GridCut(int width, int height);
  void set_costs(int x, int y, float of_0, float of_1);
  // Of a node and the one to its right, or below it, when their labels differ.
  void set_right(int x, int y, float cost);
  void set_below(int x, int y, float cost);

  // Once. Row by row; where both labels cost the same, 1.
  std::vector<std::uint8_t> solve();

 private:
  // Towards the neighbours below, right, above, left. The grid has a margin of nodes that belong
  // to no tree and to which nothing flows.
  static constexpr int kWays = 4;
  enum Parent : std::int8_t { kFree = -3, kOrphan = -2, kTerminal = -1 };  // else the way to it

  struct Node {
    float terminal = 0;               // what may still come from the side of 1, or go to that of 0
    std::array<float, kWays> room{};  // what may still flow to each neighbour
    std::int8_t parent = kFree;
    bool of_0 = false;  // which tree it is in
    bool active = false;
    int checked = 0, distance = 0;  // in which round its way to the root was known; how long it is
  };
  struct Bridge {  // between the trees
    int from, way;
  };

  int index(int x, int y) const { return (y + 1) * (width_ + 2) + x + 1; }
  int neighbour(int node, int way) const { return node + offset_[static_cast<std::size_t>(way)]; }
  static int back(int way) { return way ^ 2; }
  // What may still flow between a node of a tree and a neighbour, in the direction of that tree's
  // flow: away from the root of 1, towards that of 0.
  float room(int node, int way, bool of_0) const;
  void activate(int node);
  bool grow(Bridge& found);
  void push_flow(const Bridge& bridge);
  void push_to_root(int node, float flow, bool of_0);
  float least_to_root(int node, bool of_0, float least) const;
  int distance_to_root(int node);
  void adopt(int orphan);

  int width_, height_;
  std::array<int, kWays> offset_;
  std::vector<Node> nodes_;
  std::vector<int> active_, orphans_;
  std::size_t first_active_ = 0;
  int round_ = 0;
};

}  // namespace tsukimi
