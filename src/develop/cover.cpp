// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/cover.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "image/fast_math.h"

namespace tsukimi {
namespace {

constexpr int kFewest = 16, kMost = 48;  // places along the border where both are compared
constexpr int kNodes = 14;  // of the grid on which the membrane is reckoned, along a side

double turn_of(const std::vector<Point>& corners) {
  double area = 0;
  for (std::size_t i = 0, j = corners.size() - 1; i < corners.size(); j = i++)
    area += corners[j].x * corners[i].y - corners[i].x * corners[j].y;
  return area;
}

// Places round the shape, so far outside of it, at even distances.
std::vector<Point> border_of(const CoverShape& s, double away, int count) {
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
  for (int k = 0; k < count; ++k) {
    const double at = all * k / count;
    while (edge + 1 < n && passed + lengths[edge] < at) passed += lengths[edge++];
    const Point &a = s.corners[edge], &b = s.corners[(edge + 1) % n];
    const double length = std::max(lengths[edge], 1e-9), t = (at - passed) / length;
    // Outwards, to the right of the way round.
    const double nx = side * (b.y - a.y) / length, ny = -side * (b.x - a.x) / length;
    out.push_back({a.x + t * (b.x - a.x) + nx * away, a.y + t * (b.y - a.y) + ny * away});
  }
  return out;
}

// Mean-value coordinates of a place, tan(a / 2) = sin / (1 + cos): how much each of the border
// counts.
void coordinates_at(const std::vector<Point>& border, double x, double y, float* out) {
  const std::size_t n = border.size();
  auto half_tangent = [&](std::size_t i) {
    const Point &a = border[i], &b = border[(i + 1) % n];
    const double ax = a.x - x, ay = a.y - y, bx = b.x - x, by = b.y - y;
    const double cross = ax * by - ay * bx, dot = ax * bx + ay * by,
                 lengths = std::sqrt((ax * ax + ay * ay) * (bx * bx + by * by));
    const double below = lengths + dot;
    return std::fabs(below) > 1e-9 * lengths ? cross / below : 0;
  };
  double before = half_tangent(n - 1), sum = 0;
  std::vector<double> w(n);
  for (std::size_t i = 0; i < n; ++i) {
    const double half = half_tangent(i),
                 away = std::max(std::hypot(border[i].x - x, border[i].y - y), 1e-6);
    w[i] = (before + half) / away;
    sum += w[i];
    before = half;
  }
  for (std::size_t i = 0; i < n; ++i)
    out[i] = static_cast<float>(std::fabs(sum) > 1e-12 ? w[i] / sum : 1.0 / static_cast<double>(n));
}

// Where an edge crosses the border at another place than in what covers it, a few places there
// differ by all that lies between its sides. That says nothing of light: the middle of those round
// each place counts.
std::vector<float> without_crossings(const std::vector<float>& round) {
  constexpr std::size_t kReach = 3;
  const std::size_t n = round.size();
  if (n < 2 * kReach + 1) return round;
  std::vector<float> out(n);
  std::array<float, 2 * kReach + 1> near{};
  for (std::size_t k = 0; k < n; ++k) {
    for (std::size_t i = 0; i < near.size(); ++i) near[i] = round[(k + n + i - kReach) % n];
    std::ranges::nth_element(near, near.begin() + kReach);
    out[k] = near[kReach];
  }
  return out;
}

}  // namespace

float cover_weight(const CoverShape& s, double x, double y) {
  if (s.radius > 0) {
    const double away = std::hypot(x - s.middle.x, y - s.middle.y);
    const double t = std::clamp(1 - (away - s.radius) / s.margin, 0.0, 1.0);
    return static_cast<float>(smooth_step(t));
  }
  if (is_inside(s.corners, x, y)) return 1;
  double least = 1e18;
  for (std::size_t i = 0, j = s.corners.size() - 1; i < s.corners.size(); j = i++) {
    const Point &a = s.corners[i], &b = s.corners[j];
    const double ex = b.x - a.x, ey = b.y - a.y, length = ex * ex + ey * ey;
    const double t =
        length > 0 ? std::clamp(((x - a.x) * ex + (y - a.y) * ey) / length, 0.0, 1.0) : 0;
    const double dx = x - a.x - t * ex, dy = y - a.y - t * ey;
    least = std::min(least, dx * dx + dy * dy);
  }
  const double t = std::max(0.0, 1 - std::sqrt(least) / s.margin);
  return static_cast<float>(smooth_step(t));
}

Cover::Cover(CoverShape shape, Size picture, int step) : shape_(std::move(shape)) {
  const Bounds b = bounds_of(shape_.corners);
  x0_ = std::max(0, static_cast<int>(std::floor(b.left - shape_.margin)));
  y0_ = std::max(0, static_cast<int>(std::floor(b.top - shape_.margin)));
  x1_ = std::min(picture.width, static_cast<int>(std::ceil(b.right + shape_.margin)) + 1);
  y1_ = std::min(picture.height, static_cast<int>(std::ceil(b.bottom + shape_.margin)) + 1);
  if (x0_ >= x1_ || y0_ >= y1_) return;
  // Smooth, so a coarse grid is enough; all of its nodes that count lie within the border.
  const int w = x1_ - x0_, h = y1_ - y0_;
  cell_ = std::max(1, (std::max(w, h) + kNodes - 1) / kNodes);
  across_ = w / cell_ + 2;
  down_ = h / cell_ + 2;
  reach_ = std::max(1.5 * step, 0.5 * shape_.margin);
  const int count = std::clamp((w + h) / 2, kFewest, kMost);
  border_ = border_of(shape_, shape_.margin + 1.5 * cell_ + 0.5 * reach_, count);
  weights_.resize(static_cast<std::size_t>(across_ * down_) * border_.size());
  for (int j = 0; j < down_; ++j)
    for (int i = 0; i < across_; ++i)
      coordinates_at(border_, x0_ + i * cell_ + 0.5, y0_ + j * cell_ + 0.5,
                     weights_.data() + static_cast<std::size_t>(j * across_ + i) * border_.size());
}

void Cover::apply(const Channel& c, const Light& with) const {
  if (border_.empty() || shape_.strength <= 0) return;
  const int dx = shape_.dx, dy = shape_.dy;
  auto covering = [&](int x, int y) { return with ? with(x, y) : c.get(x + dx, y + dy); };
  auto there = [&](int x, int y) {
    return with || (x + dx >= 0 && y + dy >= 0 && x + dx < c.size.width && y + dy < c.size.height);
  };
  // How many times lighter what is there is than what covers it, round each place of the border, as
  // a logarithm: light is scaled, so that texture keeps its contrast and nothing becomes darker
  // than dark. Of a place outside of the picture nothing is known: it follows the one before it.
  constexpr double kFoot = 0.002, kMostTimes = 3;  // light that is noise; stops
  std::vector<float> times(border_.size());
  int known = 0;
  std::vector<bool> is_known(border_.size());
  for (std::size_t k = 0; k < border_.size(); ++k) {
    const Point& p = border_[k];
    const int xa = std::max(0, static_cast<int>(std::floor(p.x - reach_))),
              xb = std::min(c.size.width, static_cast<int>(std::ceil(p.x + reach_)) + 1),
              ya = std::max(0, static_cast<int>(std::floor(p.y - reach_))),
              yb = std::min(c.size.height, static_cast<int>(std::ceil(p.y + reach_)) + 1);
    double here = 0, over = 0;
    int count = 0;
    for (int y = c.first_row(ya); y < yb; y += c.step)
      for (int x = c.first_column(xa); x < xb; x += c.step)
        if (there(x, y)) here += c.get(x, y), over += covering(x, y), ++count;
    if (count == 0) continue;
    times[k] = static_cast<float>(std::clamp(
        std::log2((std::max(here, 0.0) / count + kFoot) / (std::max(over, 0.0) / count + kFoot)),
        -kMostTimes, kMostTimes));
    is_known[k] = true;
    ++known;
  }
  if (known < 3) return;
  std::size_t first = 0;
  while (!is_known[first]) ++first;
  for (std::size_t k = first; k < first + border_.size(); ++k)
    if (const std::size_t at = k % border_.size(); !is_known[at])
      times[at] = times[(at + border_.size() - 1) % border_.size()];
  const std::vector<float> differences = without_crossings(times);
  std::vector<float> nodes(static_cast<std::size_t>(across_ * down_));
  for (std::size_t n = 0; n < nodes.size(); ++n)
    for (std::size_t k = 0; k < border_.size(); ++k)
      nodes[n] += weights_[n * border_.size() + k] * differences[k];
  // What covers is read before anything is written: it may overlap.
  struct Made {
    int x, y;
    float light;
  };
  std::vector<Made> made;
  for (int y = c.first_row(y0_); y < y1_; y += c.step)
    for (int x = c.first_column(x0_); x < x1_; x += c.step) {
      const float weight = shape_.strength * cover_weight(shape_, x + 0.5, y + 0.5);
      if (weight <= 0 || !there(x, y)) continue;
      const int i = (x - x0_) / cell_, j = (y - y0_) / cell_;
      const float fx = static_cast<float>(x - x0_ - i * cell_) / static_cast<float>(cell_),
                  fy = static_cast<float>(y - y0_ - j * cell_) / static_cast<float>(cell_);
      const float* n = nodes.data() + static_cast<std::size_t>(j * across_ + i);
      const float upper = n[0] + fx * (n[1] - n[0]),
                  lower = n[across_] + fx * (n[across_ + 1] - n[across_]);
      const float now = c.get(x, y),
                  covered = covering(x, y) * fast_exp2(upper + fy * (lower - upper));
      made.push_back({x, y, now + weight * (covered - now)});
    }
  for (const Made& m : made) c.set(m.x, m.y, m.light);
}

}  // namespace tsukimi
