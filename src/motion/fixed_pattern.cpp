// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/fixed_pattern.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "base/parallel.h"

namespace tsukimi {

namespace {

constexpr float kNotKnown = 1e9f;

}  // namespace

FixedPattern::FixedPattern(int width, int height)
    : width_(width),
      height_(height),
      sums_(static_cast<std::size_t>(width) * static_cast<std::size_t>(height)) {}

void FixedPattern::add(const SlopedFrame& before, const SlopedFrame& now, const SlopedFrame& after,
                       const Shift& to_before, const Shift& to_after) {
  constexpr float kMostChange = 1.5f;  // stops; a larger change is an object that passed
  constexpr int kBlock = 12;
  constexpr float kLeastSpread = 0.002f;  // stops
  const auto x = static_cast<float>(to_before.dx + to_after.dx),
             y = static_cast<float>(to_before.dy + to_after.dy);
  displaced_ += 0.5 * (x * x + y * y), ++count_;
  auto beyond = [](double a, double b) { return (a + b) * (a * a * a + b * b * b); };
  third_ += 0.5 * (beyond(to_before.dx, to_after.dx) + beyond(to_before.dy, to_after.dy));
  const Plane earlier = displaced(before.stops, to_before),
              later = displaced(after.stops, to_after);
  auto change = [&](std::size_t i) {
    const float c = earlier.data[i] - 2 * now.stops.data[i] + later.data[i];
    const bool known = before.known.data[i] > 0 && now.known.data[i] > 0 &&
                       after.known.data[i] > 0 && std::fabs(c) < kMostChange;
    return known ? c : kNotKnown;
  };
  // A cloud that passes, or the noise of a dark frame, makes these three say less there.
  parallel_ranges((height_ + kBlock - 1) / kBlock, 1, [&](int first, int last) {
    std::vector<float> spread;
    std::array<float, kBlock * kBlock> changes;
    for (int by = first * kBlock; by < std::min(last * kBlock, height_); by += kBlock)
      for (int bx = 0; bx < width_; bx += kBlock) {
        const int y1 = std::min(by + kBlock, height_), x1 = std::min(bx + kBlock, width_);
        auto index = [&](int px, int py) {
          return static_cast<std::size_t>(py) * static_cast<std::size_t>(width_) +
                 static_cast<std::size_t>(px);
        };
        spread.clear();
        std::size_t next = 0;
        for (int py = by; py < y1; ++py)
          for (int px = bx; px < x1; ++px) {
            const float c = changes[next++] = change(index(px, py));
            if (c != kNotKnown) spread.push_back(std::fabs(c));
          }
        if (spread.empty()) continue;
        const auto middle = spread.begin() + static_cast<std::ptrdiff_t>(spread.size() / 2);
        std::nth_element(spread.begin(), middle, spread.end());
        const float wide = *middle + kLeastSpread, weight = 1e-4f / (wide * wide);
        next = 0;
        for (int py = by; py < y1; ++py)
          for (int px = bx; px < x1; ++px) {
            const std::size_t i = index(px, py);
            const float c = changes[next++];
            if (c == kNotKnown) continue;
            Sums& s = sums_[i];
            s.count += 1, s.n += weight, s.x += weight * x, s.y += weight * y;
            s.xx += weight * x * x, s.xy += weight * x * y, s.yy += weight * y * y;
            s.c += weight * c, s.cc += weight * c * c;
            s.cx += weight * c * x, s.cy += weight * c * y;
            s.slope_x += weight * now.slope_x.data[i], s.slope_y += weight * now.slope_y.data[i];
          }
      }
  });
}

void FixedPattern::add(const FixedPattern& other) {
  displaced_ += other.displaced_, third_ += other.third_, count_ += other.count_;
  for (std::size_t i = 0; i < sums_.size(); ++i) {
    Sums& s = sums_[i];
    const Sums& o = other.sums_[i];
    s.count += o.count, s.n += o.n, s.x += o.x, s.y += o.y, s.xx += o.xx, s.xy += o.xy,
        s.yy += o.yy;
    s.c += o.c, s.cc += o.cc, s.cx += o.cx, s.cy += o.cy;
    s.slope_x += o.slope_x, s.slope_y += o.slope_y;
  }
}

FixedSlopes FixedPattern::slopes() const {
  constexpr float kFewest = 8;
  // Variances: what sharp edges of the scene leave, as a share of its slope, and the noise of every
  // slope, stops per pixel.
  constexpr float kOfTheScene = 0.01f, kFloor = 0.0004f;
  FixedSlopes out{{width_, height_}, {width_, height_}, {width_, height_}, {width_, height_}, 0, 0};
  // The displacement of three has six times the variance of a frame's place.
  if (count_ > 0) out.wobble = std::sqrt(displaced_ / count_ / 6);
  const double more = displaced_ > 0 ? std::max(third_ / (3 * displaced_), 0.0) : 0;
  out.smoothing = std::sqrt(kShiftSmoothing * kShiftSmoothing + more);
  parallel_rows(height_, [&](int y0, int y1) {
    const auto w = static_cast<std::size_t>(width_);
    for (std::size_t i = static_cast<std::size_t>(y0) * w; i < static_cast<std::size_t>(y1) * w;
         ++i) {
      const Sums& s = sums_[i];
      out.x.data[i] = out.y.data[i] = out.trust_x.data[i] = out.trust_y.data[i] = 0;
      if (s.count < kFewest) continue;
      const float xx = s.xx - s.x * s.x / s.n, yy = s.yy - s.y * s.y / s.n,
                  xy = s.xy - s.x * s.y / s.n, cx = s.cx - s.c * s.x / s.n,
                  cy = s.cy - s.c * s.y / s.n, cc = s.cc - s.c * s.c / s.n;
      const float det = xx * yy - xy * xy;
      if (det < 1e-6f * s.n * s.n) continue;
      const float bx = (yy * cx - xy * cy) / det, by = (xx * cy - xy * cx) / det;
      const float left = std::max(cc - bx * cx - by * cy, 0.0f) / (s.count - 3);
      const float mx = s.slope_x / s.n, my = s.slope_y / s.n;
      const float model = kOfTheScene * kOfTheScene * (mx * mx + my * my) + kFloor * kFloor;
      out.x.data[i] = bx, out.y.data[i] = by;
      out.trust_x.data[i] = 1 / (left * yy / det + model);
      out.trust_y.data[i] = 1 / (left * xx / det + model);
    }
  });
  return out;
}

// Conjugate gradients on the normal equations. A slope between two pixels is the mean of theirs.
namespace {

// The plane whose steps from pixel to pixel come nearest to the slopes, each with its trust: by
// conjugate gradients, with the diagonal as their scale (Golub & Van Loan, ch. 11.5).
class FromSlopes {
 public:
  // most: the highest trust.
  FromSlopes(const FixedSlopes& f, double most)
      : w_(f.x.width),
        h_(f.x.height),
        wx_(w_, h_),
        wy_(w_, h_),
        gx_(w_, h_),
        gy_(w_, h_),
        of_row_(static_cast<std::size_t>(h_)),
        none_(static_cast<std::size_t>(w_), 0.0f) {
    parallel_rows(h_, [&](int y0, int y1) {
      auto pair = [&](float a, float b) {
        return a > 0 && b > 0 ? static_cast<float>(2 / (most / a + most / b)) : 0.0f;
      };
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < w_; ++x) {
          wx_.at(x, y) = x + 1 < w_ ? pair(f.trust_x.at(x, y), f.trust_x.at(x + 1, y)) : 0;
          wy_.at(x, y) = y + 1 < h_ ? pair(f.trust_y.at(x, y), f.trust_y.at(x, y + 1)) : 0;
          gx_.at(x, y) = x + 1 < w_ ? 0.5f * (f.x.at(x, y) + f.x.at(x + 1, y)) : 0;
          gy_.at(x, y) = y + 1 < h_ ? 0.5f * (f.y.at(x, y) + f.y.at(x, y + 1)) : 0;
        }
    });
  }

  Plane solve() {
    Plane out(w_, h_), rest(w_, h_), scaled(w_, h_), way(w_, h_), image(w_, h_), diagonal(w_, h_);
    std::fill(out.data.begin(), out.data.end(), 0.0f);
    double now = begin(rest, scaled, way, diagonal);
    const double first = now;
    for (int round = 0; round < 400 && now > 1e-5 * first; ++round) {
      const auto step = static_cast<float>(now / normal(way, image));
      const double next = sum_of([&](int y) {
        float *to = out.row(y), *r = rest.row(y), *s = scaled.row(y);
        const float *along = way.row(y), *by = image.row(y), *d = diagonal.row(y);
        for (int x = 0; x < w_; ++x) {
          to[x] += step * along[x];
          r[x] -= step * by[x];
          s[x] = r[x] * d[x];
        }
        return dot(r, s);
      });
      const auto keep = static_cast<float>(next / now);
      now = next;
      for (std::size_t i = 0; i < way.data.size(); ++i)
        way.data[i] = scaled.data[i] + keep * way.data[i];
    }
    return out;
  }

 private:
  // Slopes leave the mean free: a weak pull of every pixel towards 0 fixes it.
  static constexpr float kHold = 3e-5f;

  // A sum over all pixels: rows by themselves, in a few lanes, so that it is the same for any
  // number of threads.
  template <typename Row>
  double sum_of(const Row& row) {
    parallel_rows(h_, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y) of_row_[static_cast<std::size_t>(y)] = row(y);
    });
    return std::accumulate(of_row_.begin(), of_row_.end(), 0.0);
  }
  double dot(const float* a, const float* b) const {
    constexpr int kLanes = 8;
    std::array<float, kLanes> lanes{};
    int x = 0;
    for (; x + kLanes <= w_; x += kLanes)
      for (int k = 0; k < kLanes; ++k) lanes[static_cast<std::size_t>(k)] += a[x + k] * b[x + k];
    double sum = 0;
    for (; x < w_; ++x) sum += static_cast<double>(a[x]) * b[x];
    for (float lane : lanes) sum += lane;
    return sum;
  }

  // What is left of the goals at nothing, and the first way to go; left . scaled.
  double begin(Plane& rest, Plane& scaled, Plane& way, Plane& diagonal) {
    return sum_of([&](int y) {
      for (int x = 0; x < w_; ++x) {
        float sum = 0, d = kHold;
        if (x > 0) sum += wx_.at(x - 1, y) * gx_.at(x - 1, y), d += wx_.at(x - 1, y);
        if (x + 1 < w_) sum -= wx_.at(x, y) * gx_.at(x, y), d += wx_.at(x, y);
        if (y > 0) sum += wy_.at(x, y - 1) * gy_.at(x, y - 1), d += wy_.at(x, y - 1);
        if (y + 1 < h_) sum -= wy_.at(x, y) * gy_.at(x, y), d += wy_.at(x, y);
        rest.at(x, y) = sum;
        diagonal.at(x, y) = 1 / d;
        way.at(x, y) = scaled.at(x, y) = sum / d;
      }
      return dot(rest.row(y), scaled.row(y));
    });
  }

  // to = the normal equations' matrix times v; v . to.
  double normal(const Plane& v, Plane& to) {
    return sum_of([&](int y) {
      const float *here = v.row(y), *right = wx_.row(y), *down = wy_.row(y);
      const float *above = y > 0 ? v.row(y - 1) : here, *up = y > 0 ? wy_.row(y - 1) : none_.data(),
                  *below = y + 1 < h_ ? v.row(y + 1) : here;
      float* out_row = to.row(y);
      for (int x = 0; x < w_; ++x)
        out_row[x] =
            kHold * here[x] + up[x] * (here[x] - above[x]) + down[x] * (here[x] - below[x]);
      for (int x = 1; x < w_; ++x) out_row[x] += right[x - 1] * (here[x] - here[x - 1]);
      for (int x = 0; x + 1 < w_; ++x) out_row[x] += right[x] * (here[x] - here[x + 1]);
      return dot(here, out_row);
    });
  }

  int w_, h_;
  // Weights and goals of the steps to the right and down; relative, so that floats are enough.
  Plane wx_, wy_, gx_, gy_;
  std::vector<double> of_row_;
  const std::vector<float> none_;
};

}  // namespace

Plane stops_of(const FixedSlopes& f) {
  double most = 0;
  for (std::size_t i = 0; i < f.x.data.size(); ++i)
    most = std::max<double>({most, f.trust_x.data[i], f.trust_y.data[i]});
  if (most > 0) return FromSlopes(f, most).solve();
  Plane out(f.x.width, f.x.height);
  std::fill(out.data.begin(), out.data.end(), 0.0f);
  return out;
}

}  // namespace tsukimi
