// SPDX-License-Identifier: GPL-3.0-or-later
#include "places/edge_guide.h"

#include <algorithm>
#include <cmath>

#include "places/line_colours.h"

namespace tsukimi {
namespace {

constexpr float kFar = 1e6f;
constexpr float kGentle = 0.05f;  // stops per pixel of a guide: light that fades, no edge

constexpr double kUnder = 0.25;    // of the brush, that is sure to lie on what is painted
constexpr float kSame = 0.35f;     // stops between what lies there and the line
constexpr int kRounds = 2;         // of learning more of what lies there
constexpr std::size_t kPiece = 6;  // segments of a line that are looked at together

}  // namespace

EdgeGuide::EdgeGuide(Image picture) : stops(std::move(picture)) {
  const int w = stops.width, h = stops.height;
  auto step = [&](int dx, int dy, float length) {
    Plane out(w, h);
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const int bx = std::clamp(x + dx, 0, w - 1), by = std::min(y + dy, h - 1);
        float most = 0;
        for (const Plane& p : stops.planes)
          most = std::max(most, std::fabs(p.at(x, y) - p.at(bx, by)));
        out.at(x, y) = std::max(0.0f, most - kGentle * length);
      }
    return out;
  };
  right = step(1, 0, 1), down = step(0, 1, 1);
  down_right = step(1, 1, 1.4142f), down_left = step(-1, 1, 1.4142f);
}

std::shared_ptr<const EdgesBetween> EdgeGuide::Last::get() const {
  const std::lock_guard lock(mutex_);
  return last_;
}

void EdgeGuide::Last::set(std::shared_ptr<const EdgesBetween> now) const {
  const std::lock_guard lock(mutex_);
  last_ = std::move(now);
}

std::shared_ptr<const EdgesBetween> EdgesBetween::find(const EdgeGuide& guide,
                                                       const std::vector<Point>& points,
                                                       double reach) {
  auto last = guide.last.get();
  auto same = [](const Point& a, const Point& b) { return a.x == b.x && a.y == b.y; };
  const bool begun = last && last->reach_ == reach && last->points_.size() > 1 &&
                     last->points_.size() <= points.size() &&
                     std::equal(last->points_.begin(), last->points_.end(), points.begin(), same);
  if (begun && last->points_.size() == points.size()) return last;
  const std::shared_ptr<const EdgesBetween> out(
      new EdgesBetween(guide, points, reach, begun ? last.get() : nullptr));
  guide.last.set(out);
  return out;
}

EdgesBetween::EdgesBetween(const EdgeGuide& guide, const std::vector<Point>& points, double reach,
                           const EdgesBetween* begun)
    : points_(points), reach_(reach), guide_(guide.size()) {
  box_ = box_of(points, 0, points.size());
  if (box_.empty()) return;
  stops_.assign(
      static_cast<std::size_t>(box_.width()) * static_cast<std::size_t>(box_.y1 - box_.y0), kFar);
  std::size_t from = 0;
  if (begun) {
    from = (begun->points_.size() - 1) / kPiece * kPiece;
    for (int y = begun->box_.y0; y < begun->box_.y1; ++y)
      std::copy_n(begun->settled_.data() + (begun->row(y) - begun->stops_.data()),
                  begun->box_.width(), row(y) + begun->box_.x0 - box_.x0);
  }
  // Piece by piece, each by itself: a line that grows has what one that is drawn at once has.
  const std::size_t open = (points.size() - 1) / kPiece * kPiece;  // the piece that still grows
  for (std::size_t i = from; i + 1 < points.size() || i == 0; i += kPiece) {
    if (i == open) settled_ = stops_;
    add_piece(guide, i, std::min(i + kPiece + 1, points.size()));
  }
  if (settled_.empty()) settled_ = stops_;
}

EdgesBetween::Box EdgesBetween::box_of(const std::vector<Point>& points, std::size_t first,
                                       std::size_t last) const {
  Bounds b;
  for (std::size_t i = first; i < last; ++i)
    b.add({points[i].x * guide_.width, points[i].y * guide_.height});
  const double far = reach_ * guide_.width + 2;
  Box out;
  out.x0 = std::clamp(static_cast<int>(std::floor(b.left - far)), 0, guide_.width);
  out.y0 = std::clamp(static_cast<int>(std::floor(b.top - far)), 0, guide_.height);
  out.x1 = std::clamp(static_cast<int>(std::ceil(b.right + far)), out.x0, guide_.width);
  out.y1 = std::clamp(static_cast<int>(std::ceil(b.bottom + far)), out.y0, guide_.height);
  return out;
}

void EdgesBetween::add_piece(const EdgeGuide& guide, std::size_t first, std::size_t last) {
  const Box box = box_of(points_, first, last);
  if (box.empty()) return;
  const int w = box.width(), h = box.y1 - box.y0;
  thread_local std::vector<float> own;
  own.assign(static_cast<std::size_t>(w) * static_cast<std::size_t>(h), kFar);
  auto index = [w](int x, int y) {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x);
  };
  auto value = [&](int x, int y) -> float& { return own[index(x, y)]; };
  // The line itself costs nothing, whatever it crosses.
  for (std::size_t i = first; i < last; ++i) {
    const Point &from = points_[i], &to = points_[std::min(i + 1, last - 1)];
    const double dx = (to.x - from.x) * guide_.width, dy = (to.y - from.y) * guide_.height;
    const int steps = 1 + static_cast<int>(2 * std::max(std::fabs(dx), std::fabs(dy)));
    for (int k = 0; k <= steps; ++k) {
      const int x = static_cast<int>(std::floor(from.x * guide_.width + dx * k / steps)) - box.x0,
                y = static_cast<int>(std::floor(from.y * guide_.height + dy * k / steps)) - box.y0;
      if (x >= 0 && y >= 0 && x < w && y < h) value(x, y) = 0;
    }
  }
  // Sweeps over the box and back until nothing changes (Danielsson's, 1980, with costs).
  thread_local std::vector<float> known;  // how common each pixel's colour is under the line
  known.assign(own.size(), 0);
  auto better = [&](int x, int y, int sx, int sy, bool& changed) {
    const int ax = x + sx, ay = y + sy;
    if (ax < 0 || ay < 0 || ax >= w || ay >= h) return;
    const float there = value(ax, ay);
    if (there >= value(x, y)) return;
    // The step lies with its upper pixel, or its left one.
    const bool mine = sy > 0 || (sy == 0 && sx > 0);
    const Plane& step = sx == 0    ? guide.down
                        : sy == 0  ? guide.right
                        : sx == sy ? guide.down_right
                                   : guide.down_left;
    const float crossed = step.at(box.x0 + (mine ? x : ax), box.y0 + (mine ? y : ay)) *
                          (1 - std::min(known[index(x, y)], known[index(ax, ay)]));
    if (there + crossed < value(x, y)) value(x, y) = there + crossed, changed = true;
  };
  auto sweep = [&] {
    constexpr int kMostSweeps = 12;
    for (int k = 0; k < kMostSweeps; ++k) {
      bool changed = false;
      const bool back = k % 2 == 1;
      const int s = back ? 1 : -1;  // rows and pixels that were gone over already
      for (int j = 0; j < h; ++j) {
        const int y = back ? h - 1 - j : j;
        for (int i = 0; i < w; ++i) {
          const int x = back ? w - 1 - i : i;
          better(x, y, s, 0, changed), better(x, y, 0, s, changed);
          better(x, y, s, s, changed), better(x, y, -s, s, changed);
        }
        for (int i = w; i-- > 0;) better(back ? w - 1 - i : i, y, -s, 0, changed);
      }
      if (!changed && k > 0) break;
    }
  };
  sweep();
  // Again, now that it is known what lies under the line: close to it, and no edge between.
  thread_local std::vector<std::uint8_t> close, under;
  const double radius = reach_ * guide_.width;
  close.assign(own.size(), 0);
  mark_near(first, last, kUnder * radius, box, close);
  under.resize(own.size());
  for (int round = 0; round < kRounds; ++round) {
    for (std::size_t i = 0; i < own.size(); ++i) under[i] = close[i] && own[i] < kSame;
    const LineColours colours(guide.stops, under, box.x0, box.y0, w);
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x)
        known[index(x, y)] = colours.share(guide.stops.planes[0].at(box.x0 + x, box.y0 + y),
                                           guide.stops.planes[1].at(box.x0 + x, box.y0 + y),
                                           guide.stops.planes[2].at(box.x0 + x, box.y0 + y));
    sweep();
  }
  fill_small_holes(own.data(), w, h);
  for (int y = 0; y < h; ++y) {
    float* out = row(box.y0 + y) + box.x0 - box_.x0;
    for (int x = 0; x < w; ++x) out[x] = std::min(out[x], value(x, y));
  }
}

// Marks the pixels of a box that are within so many of the line's points first to before last.
void EdgesBetween::mark_near(std::size_t first, std::size_t last, double near, const Box& box,
                             std::vector<std::uint8_t>& marks) const {
  const int w = box.width(), h = box.y1 - box.y0;
  for (std::size_t i = first; i < last; ++i) {
    const Point &from = points_[i], &to = points_[std::min(i + 1, last - 1)];
    const double ax = from.x * guide_.width - box.x0, ay = from.y * guide_.height - box.y0,
                 dx = (to.x - from.x) * guide_.width, dy = (to.y - from.y) * guide_.height;
    const int steps = 1 + static_cast<int>(2 * std::hypot(dx, dy) / std::max(near, 1.0));
    for (int k = 0; k <= steps; ++k) {
      const double x = ax + dx * k / steps, y = ay + dy * k / steps;
      for (int j = std::max(0, static_cast<int>(y - near));
           j < std::min(h, static_cast<int>(y + near) + 1); ++j)
        for (int c = std::max(0, static_cast<int>(x - near));
             c < std::min(w, static_cast<int>(x + near) + 1); ++c)
          if (std::hypot(c + 0.5 - x, j + 0.5 - y) <= std::max(near, 0.8))
            marks[static_cast<std::size_t>(j) * static_cast<std::size_t>(w) +
                  static_cast<std::size_t>(c)] = 1;
    }
  }
}

// What is left out and smaller than a tenth of the brush belongs to what it lies in.
void EdgesBetween::fill_small_holes(float* stops, int w, int h) const {
  constexpr float kLeftOut = 0.3f;                       // stops
  const double tenth = 0.1 * 2 * reach_ * guide_.width;  // of its breadth
  std::vector<std::uint8_t> seen(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
  std::vector<std::size_t> hole;
  for (std::size_t begin = 0; begin < seen.size(); ++begin) {
    if (seen[begin] || stops[begin] <= kLeftOut) continue;
    hole.assign(1, begin);
    seen[begin] = 1;
    float rim = kFar;  // the least of what lies round it
    int left = w, right = 0, top = h, bottom = 0;
    for (std::size_t k = 0; k < hole.size(); ++k) {
      const int x = static_cast<int>(hole[k] % static_cast<std::size_t>(w)),
                y = static_cast<int>(hole[k] / static_cast<std::size_t>(w));
      left = std::min(left, x), right = std::max(right, x);
      top = std::min(top, y), bottom = std::max(bottom, y);
      for (int j = std::max(0, y - 1); j <= std::min(h - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(w - 1, x + 1); ++i) {
          const std::size_t at = static_cast<std::size_t>(j) * static_cast<std::size_t>(w) +
                                 static_cast<std::size_t>(i);
          if (stops[at] <= kLeftOut) {
            rim = std::min(rim, stops[at]);
          } else if (!seen[at]) {
            seen[at] = 1;
            hole.push_back(at);
          }
        }
    }
    // What the box cuts off may go on outside of it.
    const bool cut = left == 0 || top == 0 || right == w - 1 || bottom == h - 1;
    if (!cut && right - left < tenth && bottom - top < tenth)
      for (const std::size_t at : hole) stops[at] = rim;
  }
}

float EdgesBetween::at(double x, double y) const {
  if (box_.empty()) return 0;
  const double px = std::clamp(x * guide_.width - 0.5, box_.x0 + 0.0, box_.x1 - 1.0),
               py = std::clamp(y * guide_.height - 0.5, box_.y0 + 0.0, box_.y1 - 1.0);
  const int ix = std::clamp(static_cast<int>(px), box_.x0, std::max(box_.x0, box_.x1 - 2)),
            iy = std::clamp(static_cast<int>(py), box_.y0, std::max(box_.y0, box_.y1 - 2));
  const auto fx = static_cast<float>(px - ix), fy = static_cast<float>(py - iy);
  const float *p = row(iy) + ix - box_.x0, *q = iy + 1 < box_.y1 ? p + box_.width() : p;
  const int right = ix + 1 < box_.x1 ? 1 : 0;
  const float upper = p[0] + fx * (p[right] - p[0]), lower = q[0] + fx * (q[right] - q[0]);
  return upper + fy * (lower - upper);
}

}  // namespace tsukimi
