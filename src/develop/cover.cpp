#include "develop/cover.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace tsukimi {
namespace {

constexpr int kBorder = 48;  // places along the border where both are compared
constexpr int kNodes = 40;   // of the grid on which the membrane is reckoned, along a side

struct Box {
  int x0, y0, x1, y1;
};

Box box_of(const CoverShape& s, Size size) {
  double x0 = 1e9, y0 = 1e9, x1 = -1e9, y1 = -1e9;
  for (const Point& p : s.corners) {
    x0 = std::min(x0, p.x), x1 = std::max(x1, p.x);
    y0 = std::min(y0, p.y), y1 = std::max(y1, p.y);
  }
  return {std::max(0, static_cast<int>(std::floor(x0 - s.margin))),
          std::max(0, static_cast<int>(std::floor(y0 - s.margin))),
          std::min(size.width, static_cast<int>(std::ceil(x1 + s.margin)) + 1),
          std::min(size.height, static_cast<int>(std::ceil(y1 + s.margin)) + 1)};
}

double turn_of(const std::vector<Point>& corners) {
  double area = 0;
  for (std::size_t i = 0, j = corners.size() - 1; i < corners.size(); j = i++)
    area += corners[j].x * corners[i].y - corners[i].x * corners[j].y;
  return area;
}

// Places round the shape, so far outside of it, at even distances.
std::vector<Point> border_of(const CoverShape& s, double away) {
  double all = 0;
  std::vector<double> lengths;
  const std::size_t n = s.corners.size();
  for (std::size_t i = 0; i < n; ++i) {
    const Point &a = s.corners[i], &b = s.corners[(i + 1) % n];
    lengths.push_back(std::hypot(b.x - a.x, b.y - a.y));
    all += lengths.back();
  }
  const double side = turn_of(s.corners) > 0 ? 1 : -1;
  std::vector<Point> out;
  std::size_t edge = 0;
  double passed = 0;
  for (int k = 0; k < kBorder; ++k) {
    const double at = all * k / kBorder;
    while (edge + 1 < n && passed + lengths[edge] < at) passed += lengths[edge++];
    const Point &a = s.corners[edge], &b = s.corners[(edge + 1) % n];
    const double length = std::max(lengths[edge], 1e-9), t = (at - passed) / length;
    // Outwards, to the right of the way round.
    const double nx = side * (b.y - a.y) / length, ny = -side * (b.x - a.x) / length;
    out.push_back({a.x + t * (b.x - a.x) + nx * away, a.y + t * (b.y - a.y) + ny * away});
  }
  return out;
}

// By how much what is there differs from what is to cover it, round one place of the border.
std::optional<float> difference_at(const Channel& c, const CoverShape& s, const Point& p,
                                   double reach) {
  const int x0 = std::max(0, static_cast<int>(std::floor(p.x - reach))),
            x1 = std::min(c.size.width, static_cast<int>(std::ceil(p.x + reach)) + 1),
            y0 = std::max(0, static_cast<int>(std::floor(p.y - reach))),
            y1 = std::min(c.size.height, static_cast<int>(std::ceil(p.y + reach)) + 1);
  double sum = 0;
  int count = 0;
  for (int y = c.first_row(y0); y < y1; y += c.step)
    for (int x = c.first_column(x0); x < x1; x += c.step) {
      const int sx = x + s.dx, sy = y + s.dy;
      if (!s.with && (sx < 0 || sy < 0 || sx >= c.size.width || sy >= c.size.height)) continue;
      sum += c.get(x, y) - (s.with ? s.with(x, y) : c.get(sx, sy));
      ++count;
    }
  if (count == 0) return {};
  return static_cast<float>(sum / count);
}

// The membrane at one place: mean-value coordinates, tan(a / 2) = sin / (1 + cos).
float membrane_at(const std::vector<Point>& border, const std::vector<float>& differences, double x,
                  double y) {
  const std::size_t n = border.size();
  double sum = 0, weights = 0;
  double half_before = 0;
  auto half_tangent = [&](std::size_t i) {
    const Point &a = border[i], &b = border[(i + 1) % n];
    const double ax = a.x - x, ay = a.y - y, bx = b.x - x, by = b.y - y;
    const double cross = ax * by - ay * bx, dot = ax * bx + ay * by,
                 lengths = std::sqrt((ax * ax + ay * ay) * (bx * bx + by * by));
    const double below = lengths + dot;
    return std::fabs(below) > 1e-9 * lengths ? cross / below : 0;
  };
  half_before = half_tangent(n - 1);
  for (std::size_t i = 0; i < n; ++i) {
    const double half = half_tangent(i), away = std::hypot(border[i].x - x, border[i].y - y);
    if (away < 1e-6) return differences[i];
    const double w = (half_before + half) / away;
    sum += w * differences[i];
    weights += w;
    half_before = half;
  }
  return static_cast<float>(std::fabs(weights) > 1e-12 ? sum / weights : 0);
}

}  // namespace

float cover_weight(const CoverShape& s, double x, double y) {
  bool inside = false;
  double least = 1e18;
  for (std::size_t i = 0, j = s.corners.size() - 1; i < s.corners.size(); j = i++) {
    const Point &a = s.corners[i], &b = s.corners[j];
    if ((a.y > y) != (b.y > y) && x < (b.x - a.x) * (y - a.y) / (b.y - a.y) + a.x) inside = !inside;
    const double ex = b.x - a.x, ey = b.y - a.y, length = ex * ex + ey * ey;
    const double t =
        length > 0 ? std::clamp(((x - a.x) * ex + (y - a.y) * ey) / length, 0.0, 1.0) : 0;
    const double dx = x - a.x - t * ex, dy = y - a.y - t * ey;
    least = std::min(least, dx * dx + dy * dy);
  }
  if (inside) return 1;
  const double t = std::max(0.0, 1 - std::sqrt(least) / s.margin);
  return static_cast<float>(t * t * (3 - 2 * t));
}

bool fits(const CoverShape& s, Size picture) {
  const Box b = box_of(s, {1 << 28, 1 << 28});
  const bool inside = b.x0 + s.dx >= 0 && b.y0 + s.dy >= 0 && b.x1 + s.dx <= picture.width &&
                      b.y1 + s.dy <= picture.height;
  return inside && (std::abs(s.dx) >= b.x1 - b.x0 || std::abs(s.dy) >= b.y1 - b.y0);
}

void cover(const Channel& c, const CoverShape& s) {
  const Box box = box_of(s, c.size);
  if (box.x0 >= box.x1 || box.y0 >= box.y1 || s.strength <= 0) return;
  // Smooth, so a coarse grid is enough; all of its nodes that count lie within the border.
  const int w = box.x1 - box.x0, h = box.y1 - box.y0;
  const int cell = std::max(1, (std::max(w, h) + kNodes - 1) / kNodes);
  const int across = w / cell + 2, down = h / cell + 2;
  const double reach = std::max(1.5 * c.step, 0.5 * s.margin);
  std::vector<Point> border;
  std::vector<float> differences;
  for (const Point& p : border_of(s, s.margin + 1.5 * cell + 0.5 * reach))
    if (const auto d = difference_at(c, s, p, reach)) {
      border.push_back(p);
      differences.push_back(*d);
    }
  if (border.size() < 3) return;
  std::vector<float> nodes;
  for (int j = 0; j < down; ++j)
    for (int i = 0; i < across; ++i)
      nodes.push_back(
          membrane_at(border, differences, box.x0 + i * cell + 0.5, box.y0 + j * cell + 0.5));
  // What covers is read before anything is written: it may overlap.
  struct Made {
    int x, y;
    float light;
  };
  std::vector<Made> made;
  for (int y = c.first_row(box.y0); y < box.y1; y += c.step)
    for (int x = c.first_column(box.x0); x < box.x1; x += c.step) {
      const float weight = s.strength * cover_weight(s, x + 0.5, y + 0.5);
      if (weight <= 0) continue;
      const int sx = std::clamp(x + s.dx, 0, c.size.width - 1),
                sy = std::clamp(y + s.dy, 0, c.size.height - 1);
      if (!s.with && (sx != x + s.dx || sy != y + s.dy)) continue;
      const int i = (x - box.x0) / cell, j = (y - box.y0) / cell;
      const float fx = static_cast<float>(x - box.x0 - i * cell) / static_cast<float>(cell),
                  fy = static_cast<float>(y - box.y0 - j * cell) / static_cast<float>(cell);
      const float* n = nodes.data() + static_cast<std::size_t>(j) * across + i;
      const float upper = n[0] + fx * (n[1] - n[0]),
                  lower = n[across] + fx * (n[across + 1] - n[across]);
      const float there = c.get(x, y),
                  covered = (s.with ? s.with(x, y) : c.get(sx, sy)) + upper + fy * (lower - upper);
      made.push_back({x, y, there + weight * (covered - there)});
    }
  for (const Made& m : made) c.set(m.x, m.y, m.light);
}

}  // namespace tsukimi
