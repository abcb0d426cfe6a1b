#include "places/edge_guide.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

constexpr float kFar = 1e6f;
constexpr float kGentle = 0.05f;  // stops per pixel of a guide: light that fades, no edge

// What the step from one pixel to another costs.
float between(const EdgeGuide& g, int ax, int ay, int bx, int by, float length) {
  float most = 0;
  for (const Plane& p : g.stops.planes)
    most = std::max(most, std::fabs(p.at(ax, ay) - p.at(bx, by)));
  return std::max(0.0f, most - kGentle * length);
}

}  // namespace

EdgesBetween::EdgesBetween(const EdgeGuide& guide, const std::vector<Point>& points, double reach)
    : across_(guide.stops.width), down_(guide.stops.height) {
  double x0 = 1e9, x1 = -1e9, y0 = 1e9, y1 = -1e9;
  for (const Point& p : points) {
    x0 = std::min(x0, p.x * across_), x1 = std::max(x1, p.x * across_);
    y0 = std::min(y0, p.y * down_), y1 = std::max(y1, p.y * down_);
  }
  const double far = reach * across_ + 2;
  left_ = std::clamp(static_cast<int>(std::floor(x0 - far)), 0, guide.stops.width);
  top_ = std::clamp(static_cast<int>(std::floor(y0 - far)), 0, guide.stops.height);
  width_ = std::clamp(static_cast<int>(std::ceil(x1 + far)), left_, guide.stops.width) - left_;
  height_ = std::clamp(static_cast<int>(std::ceil(y1 + far)), top_, guide.stops.height) - top_;
  if (width_ <= 0 || height_ <= 0) return;
  stops_.assign(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_), kFar);
  auto value = [&](int x, int y) -> float& {
    return stops_[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) +
                  static_cast<std::size_t>(x)];
  };
  // The line itself costs nothing, whatever it crosses.
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Point &p = points[i], &q = points[std::min(i + 1, points.size() - 1)];
    const double dx = (q.x - p.x) * across_, dy = (q.y - p.y) * down_;
    const int steps = 1 + static_cast<int>(2 * std::max(std::fabs(dx), std::fabs(dy)));
    for (int k = 0; k <= steps; ++k) {
      const int x = static_cast<int>(std::floor(p.x * across_ + dx * k / steps)) - left_,
                y = static_cast<int>(std::floor(p.y * down_ + dy * k / steps)) - top_;
      if (x >= 0 && y >= 0 && x < width_ && y < height_) value(x, y) = 0;
    }
  }
  // Sweeps over the picture and back until nothing changes (Danielsson's, 1980, with costs).
  constexpr int kMostSweeps = 12;
  auto better = [&](int x, int y, int dx, int dy, bool& changed) {
    const int ax = x + dx, ay = y + dy;
    if (ax < 0 || ay < 0 || ax >= width_ || ay >= height_) return;
    const float from = value(ax, ay);
    if (from >= value(x, y)) return;
    const float length = dx != 0 && dy != 0 ? 1.4142f : 1.0f,
                now = from + between(guide, left_ + ax, top_ + ay, left_ + x, top_ + y, length);
    if (now < value(x, y)) value(x, y) = now, changed = true;
  };
  for (int sweep = 0; sweep < kMostSweeps; ++sweep) {
    bool changed = false;
    const bool back = sweep % 2 == 1;
    const int s = back ? 1 : -1;  // rows and pixels that were gone over already
    for (int j = 0; j < height_; ++j) {
      const int y = back ? height_ - 1 - j : j;
      for (int i = 0; i < width_; ++i) {
        const int x = back ? width_ - 1 - i : i;
        better(x, y, s, 0, changed), better(x, y, 0, s, changed);
        better(x, y, s, s, changed), better(x, y, -s, s, changed);
      }
      for (int i = width_; i-- > 0;) better(back ? width_ - 1 - i : i, y, -s, 0, changed);
    }
    if (!changed && sweep > 0) break;
  }
}

float EdgesBetween::at(double x, double y) const {
  if (width_ <= 0 || height_ <= 0) return 0;
  const double px = std::clamp(x * across_ - 0.5 - left_, 0.0, width_ - 1.0),
               py = std::clamp(y * down_ - 0.5 - top_, 0.0, height_ - 1.0);
  const int ix = std::min(static_cast<int>(px), std::max(0, width_ - 2)),
            iy = std::min(static_cast<int>(py), std::max(0, height_ - 2));
  const auto fx = static_cast<float>(px - ix), fy = static_cast<float>(py - iy);
  const int right = width_ > 1 ? 1 : 0, below = height_ > 1 ? width_ : 0;
  const float* p =
      stops_.data() + static_cast<std::size_t>(iy) * static_cast<std::size_t>(width_) + ix;
  const float upper = p[0] + fx * (p[right] - p[0]),
              lower = p[below] + fx * (p[below + right] - p[below]);
  return upper + fy * (lower - upper);
}

}  // namespace tsukimi
