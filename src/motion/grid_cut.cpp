// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/grid_cut.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace tsukimi {
namespace {

enum Way { kBelow, kRight, kAbove, kLeft };
constexpr int kNoWay = std::numeric_limits<int>::max();

}  // namespace

GridCut::GridCut(int width, int height)
    : width_(width),
      height_(height),
      offset_{width + 2, 1, -(width + 2), -1},
      nodes_(static_cast<std::size_t>(width + 2) * static_cast<std::size_t>(height + 2)) {}

void GridCut::set_costs(int x, int y, float of_0, float of_1) {
  nodes_[static_cast<std::size_t>(index(x, y))].terminal = of_0 - of_1;
}

void GridCut::set_right(int x, int y, float cost) {
  nodes_[static_cast<std::size_t>(index(x, y))].room[kRight] = cost;
  nodes_[static_cast<std::size_t>(index(x + 1, y))].room[kLeft] = cost;
}

void GridCut::set_below(int x, int y, float cost) {
  nodes_[static_cast<std::size_t>(index(x, y))].room[kBelow] = cost;
  nodes_[static_cast<std::size_t>(index(x, y + 1))].room[kAbove] = cost;
}

float GridCut::room(int node, int way, bool of_0) const {
  return of_0 ? nodes_[static_cast<std::size_t>(neighbour(node, way))]
                    .room[static_cast<std::size_t>(back(way))]
              : nodes_[static_cast<std::size_t>(node)].room[static_cast<std::size_t>(way)];
}

void GridCut::activate(int node) {
  Node& n = nodes_[static_cast<std::size_t>(node)];
  if (n.active) return;
  n.active = true;
  active_.push_back(node);
}

// Trees take in free neighbours until they meet.
bool GridCut::grow(Bridge& found) {
  for (; first_active_ < active_.size(); ++first_active_) {
    const int at = active_[first_active_];
    Node& node = nodes_[static_cast<std::size_t>(at)];
    for (int way = 0; node.parent != kFree && way < kWays; ++way) {
      if (room(at, way, node.of_0) == 0) continue;
      const int to = neighbour(at, way);
      Node& next = nodes_[static_cast<std::size_t>(to)];
      if (next.parent != kFree && next.of_0 != node.of_0) {
        found = node.of_0 ? Bridge{to, back(way)} : Bridge{at, way};
        return true;
      }
      const bool shorter = next.distance > node.distance + 1 && next.checked <= node.checked;
      if (next.parent != kFree && !shorter) continue;
      if (next.parent == kFree) next.of_0 = node.of_0, activate(to);
      next.parent = static_cast<std::int8_t>(back(way));
      next.checked = node.checked;
      next.distance = node.distance + 1;
    }
    node.active = false;
    // What lies behind is done with: the list stays as long as what is active.
    if (first_active_ > nodes_.size()) {
      active_.erase(active_.begin(), active_.begin() + static_cast<std::ptrdiff_t>(first_active_));
      first_active_ = 0;
    }
  }
  return false;
}

float GridCut::least_to_root(int at, bool of_0, float least) const {
  for (;;) {
    const Node& node = nodes_[static_cast<std::size_t>(at)];
    if (node.parent == kTerminal) return std::min(least, std::fabs(node.terminal));
    const int parent = neighbour(at, node.parent);
    least = std::min(least, room(parent, back(node.parent), of_0));
    at = parent;
  }
}

void GridCut::push_to_root(int at, float flow, bool of_0) {
  for (;;) {
    Node& node = nodes_[static_cast<std::size_t>(at)];
    if (node.parent == kTerminal) {
      node.terminal += of_0 ? flow : -flow;
      if (node.terminal == 0) orphans_.push_back(at), node.parent = kOrphan;
      return;
    }
    const auto way = static_cast<std::size_t>(node.parent);
    const int up = neighbour(at, node.parent);
    Node& parent = nodes_[static_cast<std::size_t>(up)];
    float& along = of_0 ? node.room[way] : parent.room[static_cast<std::size_t>(back(node.parent))];
    float& against =
        of_0 ? parent.room[static_cast<std::size_t>(back(node.parent))] : node.room[way];
    against += flow;
    along -= flow;
    if (along == 0) orphans_.push_back(at), node.parent = kOrphan;
    at = up;
  }
}

void GridCut::push_flow(const Bridge& bridge) {
  const int to = neighbour(bridge.from, bridge.way);
  float& along =
      nodes_[static_cast<std::size_t>(bridge.from)].room[static_cast<std::size_t>(bridge.way)];
  const float flow = least_to_root(to, true, least_to_root(bridge.from, false, along));
  along -= flow;
  nodes_[static_cast<std::size_t>(to)].room[static_cast<std::size_t>(back(bridge.way))] += flow;
  push_to_root(bridge.from, flow, false);
  push_to_root(to, flow, true);
}

// Steps to the root of its tree; kNoWay: it hangs on an orphan. What is found is kept for the
// round.
int GridCut::distance_to_root(int from) {
  int steps = 0, at = from;
  for (;; ++steps) {
    Node& node = nodes_[static_cast<std::size_t>(at)];
    if (node.checked == round_) {
      steps += node.distance;
      break;
    }
    if (node.parent == kOrphan) return kNoWay;
    if (node.parent == kTerminal) {
      node.checked = round_;
      node.distance = 1;
      ++steps;
      break;
    }
    at = neighbour(at, node.parent);
  }
  int left = steps;
  for (at = from; nodes_[static_cast<std::size_t>(at)].checked != round_;
       at = neighbour(at, nodes_[static_cast<std::size_t>(at)].parent)) {
    nodes_[static_cast<std::size_t>(at)].checked = round_;
    nodes_[static_cast<std::size_t>(at)].distance = left--;
  }
  return steps;
}

// A new parent that is still tied to the root, the nearest one; else it is free, and its children
// are orphans.
void GridCut::adopt(int orphan) {
  Node& node = nodes_[static_cast<std::size_t>(orphan)];
  int best = kNoWay, best_way = kFree;
  auto in_tree = [&](const Node& n) { return n.parent != kFree && n.of_0 == node.of_0; };
  for (int way = 0; way < kWays; ++way) {
    const int to = neighbour(orphan, way);
    if (!in_tree(nodes_[static_cast<std::size_t>(to)]) || room(to, back(way), node.of_0) == 0)
      continue;
    const int distance = distance_to_root(to);
    if (distance != kNoWay && distance + 1 < best) best = distance + 1, best_way = way;
  }
  node.parent = static_cast<std::int8_t>(best_way);
  if (best_way != kFree) {
    node.checked = round_;
    node.distance = best;
    return;
  }
  node.checked = 0;
  for (int way = 0; way < kWays; ++way) {
    const int to = neighbour(orphan, way);
    Node& other = nodes_[static_cast<std::size_t>(to)];
    if (!in_tree(other)) continue;
    if (room(to, back(way), node.of_0) != 0) activate(to);
    if (other.parent == back(way)) orphans_.push_back(to), other.parent = kOrphan;
  }
}

std::vector<std::uint8_t> GridCut::solve() {
  for (std::size_t i = 0; i < nodes_.size(); ++i) {
    Node& node = nodes_[i];
    if (node.terminal == 0) continue;
    node.of_0 = node.terminal < 0;
    node.parent = kTerminal;
    node.distance = 1;
    activate(static_cast<int>(i));
  }
  for (Bridge bridge{}; grow(bridge);) {
    push_flow(bridge);
    ++round_;
    while (!orphans_.empty()) {
      const int orphan = orphans_.back();
      orphans_.pop_back();
      adopt(orphan);
    }
  }
  std::vector<std::uint8_t> out;
  out.reserve(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_));
  for (int y = 0; y < height_; ++y)
    for (int x = 0; x < width_; ++x) {
      const Node& node = nodes_[static_cast<std::size_t>(index(x, y))];
      out.push_back(node.parent == kFree || !node.of_0);
    }
  return out;
}

}  // namespace tsukimi
