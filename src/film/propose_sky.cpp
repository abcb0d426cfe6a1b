// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/propose_sky.h"

#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "film/sky.h"

namespace tsukimi {
namespace {

constexpr int kColumns = 96, kRows = 160;

using Grid = std::vector<double>;  // kRows rows of kColumns
std::size_t cell(int x, int y) { return static_cast<std::size_t>(y) * kColumns + x; }

// Light in stops; the median of each cell, which no star raises.
Grid cells_of(const Proxy& proxy) {
  Grid out(static_cast<std::size_t>(kColumns) * kRows);
  const StoredLight stored = proxy.stored();
  const std::size_t all = static_cast<std::size_t>(proxy.width) * proxy.height;
  const Rect covered = part_of_proxy(proxy, {});
  for (int y = 0; y < kRows; ++y)
    for (int x = 0; x < kColumns; ++x) {
      auto at = [](double from, double share, int n) {
        return std::clamp(static_cast<int>(std::lround((from + share) * n)), 0, n);
      };
      const int x0 = at(covered.x, covered.w * x / kColumns, proxy.width - 1),
                x1 = at(covered.x, covered.w * (x + 1) / kColumns, proxy.width),
                y0 = at(covered.y, covered.h * y / kRows, proxy.height - 1),
                y1 = at(covered.y, covered.h * (y + 1) / kRows, proxy.height);
      std::vector<double> v;
      for (int j = y0; j < std::max(y1, y0 + 1); ++j)
        for (int i = x0; i < std::max(x1, x0 + 1); ++i) {
          const std::size_t k = static_cast<std::size_t>(j) * proxy.width + i;
          v.push_back(stored.light(proxy.data[k]) + 2 * stored.light(proxy.data[all + k]) +
                      stored.light(proxy.data[2 * all + k]));
        }
      out[cell(x, y)] = std::log2(std::max(median(v), 1e-5));
    }
  return out;
}

// How much speaks against a border of the sky below the row `y` of a column.
Grid costs_of(const Grid& light, const std::vector<Point>& stars) {
  constexpr double kStar = 3, kFar = 0.02, kEdge = 2, kMostEdge = 1.2;
  constexpr int kBeside = 3;  // columns: a star says where there is sky round it too
  Grid seen(static_cast<std::size_t>(kColumns) * kRows), out(seen.size());
  for (const Point& s : stars) {
    const int x = std::clamp(static_cast<int>(s.x * kColumns), 0, kColumns - 1),
              y = std::clamp(static_cast<int>(s.y * kRows), 0, kRows - 1);
    seen[cell(x, y)] += 1;
  }
  for (int x = 0; x < kColumns; ++x) {
    double below = 0;
    for (int y = 0; y < kRows; ++y) below += std::min(seen[cell(x, y)], 2.0);
    int lowest = 0;  // row of the lowest star near there
    for (int i = std::max(0, x - kBeside); i <= std::min(kColumns - 1, x + kBeside); ++i)
      for (int y = lowest; y < kRows; ++y)
        if (seen[cell(i, y)] > 0) lowest = y;
    for (int y = 0; y < kRows; ++y) {
      below -= std::min(seen[cell(x, y)], 2.0);
      const int above = std::max(0, y - 1), under = std::min(kRows - 1, y + 2);
      const double edge =
          std::fabs(light[cell(x, std::min(y + 1, kRows - 1))] - light[cell(x, y)]) +
          0.5 * std::fabs(light[cell(x, under)] - light[cell(x, above)]);
      out[cell(x, y)] =
          kStar * below + kFar * std::abs(y - lowest) - kEdge * std::min(edge, kMostEdge);
    }
  }
  return out;
}

// The row of the border in each column.
std::vector<int> cheapest_way(const Grid& costs) {
  constexpr double kStep = 0.12;
  constexpr int kReach = 40;  // rows from column to column: houses and masts have upright sides
  Grid so_far = costs;
  std::vector<int> from(costs.size());
  for (int x = 1; x < kColumns; ++x)
    for (int y = 0; y < kRows; ++y) {
      double least = 1e300;
      for (int k = std::max(0, y - kReach); k <= std::min(kRows - 1, y + kReach); ++k)
        if (const double c = so_far[cell(x - 1, k)] + kStep * std::abs(k - y); c < least)
          least = c, from[cell(x, y)] = k;
      so_far[cell(x, y)] += least;
    }
  std::vector<int> out(kColumns);
  int y = 0;
  for (int k = 1; k < kRows; ++k)
    if (so_far[cell(kColumns - 1, k)] < so_far[cell(kColumns - 1, y)]) y = k;
  for (int x = kColumns - 1; x >= 0; --x) {
    out[static_cast<std::size_t>(x)] = y;
    if (x > 0) y = from[cell(x, y)];
  }
  return out;
}

}  // namespace

Result<LocalPlace> propose_sky(const Shoot& shoot, ProxyStore& store) {
  if (!shoot.sky || !shoot.sky->found())
    return fail(shoot.sky ? notes_of(*shoot.sky).front()
                          : "It is not known yet how the sky turns.");
  const SkyFit& fit = *shoot.sky;
  int key = -1, most = -1;
  for (int k = 0; k < shoot.frame_count(); ++k) {
    const auto id = static_cast<std::size_t>(shoot.sequence.id_of(k));
    if (id < fit.frames.size() && fit.frames[id].valid && fit.frames[id].stars > most)
      key = k, most = fit.frames[id].stars;
  }
  if (key < 0) return fail("No frame shows stars.");
  const auto proxy = store.get(shoot.sequence.frames[static_cast<std::size_t>(key)]);
  if (!proxy) return tl::unexpected(proxy.error());
  const std::vector<int> border = cheapest_way(costs_of(cells_of(**proxy), fit.seen));

  // Up and down over all that is well above it, where bright stars are no edges; then along it.
  const double aspect = aspect_of(shoot), radius = 2.0 / kColumns, high = radius * aspect;
  Stroke inside, along;
  inside.radius = along.radius = radius;
  inside.softness = along.softness = 35;
  along.edges = true;
  for (int x = 0; x < kColumns; ++x) {
    const double at = (x + 0.5) / kColumns;
    // The highest near there: a wide brush must not reach over masts and roofs.
    int highest = kRows;
    for (int i = std::max(0, x - 2); i <= std::min(kColumns - 1, x + 2); ++i)
      highest = std::min(highest, border[static_cast<std::size_t>(i)]);
    const double low = (border[static_cast<std::size_t>(x)] + 1.0) / kRows;
    const Point top{at, -high}, bottom{at, std::max((highest + 1.0) / kRows - 1.5 * high, -high)};
    inside.points.push_back(x % 2 ? bottom : top);
    inside.points.push_back(x % 2 ? top : bottom);
    along.points.push_back({at, std::max(low - 0.7 * high, -high)});
  }
  LocalPlace out = new_place("Sky", ShapeKind::painted, shoot.sequence.id_of(key));
  out.shapes.front().painted.front().painting = Painting({inside, along});
  out.sky = true;
  return out;
}

}  // namespace tsukimi
