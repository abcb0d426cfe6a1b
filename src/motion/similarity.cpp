// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/similarity.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

#include "base/median.h"
#include "base/parallel.h"
#include "base/solve.h"
#include "motion/layers.h"

namespace tsukimi {
namespace {

// Shift, and turn and scale as what they do at the picture's side (so that all are pixels).
constexpr std::size_t kUnknowns = 4;
using Vector = std::array<double, kUnknowns>;

// The normal equations of one part of the picture: its own structure, and what moving it explains.
struct Block {
  double x = 0, y = 0;  // of its middle, in halves of the picture's width
  double xx = 0, xy = 0, yy = 0, xr = 0, yr = 0, rr = 0, n = 0, weight = 1;
  double det() const { return xx * yy - xy * xy; }
  double own_x() const { return (yy * xr - xy * yr) / det(); }
  double own_y() const { return (xx * yr - xy * xr) / det(); }
  // What a movement does there.
  double by_x(const Vector& v) const { return v[0] - y * v[2] + x * v[3]; }
  double by_y(const Vector& v) const { return v[1] + x * v[2] + y * v[3]; }
};

constexpr double kFewest = 60;  // pixels of a block

// Products of slopes and difference within a block, less what a change of light explains of them:
// another brightness, another contrast, a veil that grows to one side. Such a change moves nothing.
class Explained {
 public:
  // What a pixel's slopes and light say, whatever the difference there is.
  void add(double gx, double gy, const std::array<double, 4>& z) {
    products_[0][0] += gx * gx, products_[0][1] += gx * gy, products_[1][1] += gy * gy;
    for (std::size_t k = 0; k < 4; ++k) mixed_[0][k] += gx * z[k], mixed_[1][k] += gy * z[k];
    for (std::size_t k = 0; k < 4; ++k)
      for (std::size_t l = k; l < 4; ++l) light_[k][l] += z[k] * z[l];
  }
  void add_difference(double gx, double gy, double r, const std::array<double, 4>& z) {
    products_[0][2] += gx * r, products_[1][2] += gy * r, products_[2][2] += r * r;
    for (std::size_t k = 0; k < 4; ++k) mixed_[2][k] += r * z[k];
  }
  void finish() {
    for (std::size_t k = 0; k < 4; ++k)
      for (std::size_t l = 0; l < k; ++l) light_[k][l] = light_[l][k];
  }
  // In the contrast of the first frame: where a veil of light takes most of it, slopes of the
  // second are as much smaller.
  std::array<std::array<double, 3>, 3> unexplained() const {
    constexpr double kLeastContrast = 0.1;
    auto out = products_;
    for (std::size_t j = 0; j < 3; ++j) {
      const auto by = solve(light_, mixed_[j], 1e-9, 4);
      for (std::size_t i = 0; i <= j; ++i)
        for (std::size_t k = 0; k < 4; ++k) out[i][j] -= mixed_[i][k] * by[k];
      if (j < 2) continue;
      const double contrast = std::clamp(1 + by[1], kLeastContrast, 1 / kLeastContrast);
      for (std::size_t i = 0; i <= j; ++i) out[i][j] /= contrast;
      out[j][j] /= contrast;
    }
    return out;
  }

 private:
  std::array<std::array<double, 3>, 3> products_{};
  std::array<std::array<double, 4>, 3> mixed_{};
  std::array<std::array<double, 4>, 4> light_{};
};

// A block before its movement is known: what does not change from round to round.
struct Ground {
  int x0 = 0, x1 = 0, y0 = 0, y1 = 0;
  Offset middle;
  Explained sums;
  double n = 0;
};

std::vector<Ground> grounds_of(const SlopedFrame& a, const SlopedFrame& b) {
  constexpr int kAcross = kBlocksAcross, kDown = kBlocksDown, kEdge = 4;
  const int w = a.stops.width, h = a.stops.height;
  std::vector<Ground> out(kAcross * kDown);
  parallel_ranges(kAcross * kDown, kAcross, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      Ground& g = out[static_cast<std::size_t>(k)];
      const int row = k / kAcross, column = k % kAcross;
      g.x0 = std::max(kEdge, column * w / kAcross);
      g.x1 = std::min(w - kEdge, (column + 1) * w / kAcross);
      g.y0 = std::max(kEdge, row * h / kDown);
      g.y1 = std::min(h - kEdge, (row + 1) * h / kDown);
      g.middle = {0.5 * (g.x0 + g.x1 - w), 0.5 * (g.y0 + g.y1 - h)};
      for (int y = g.y0; y < g.y1; ++y)
        for (int x = g.x0; x < g.x1; ++x) {
          if (a.known.at(x, y) == 0 || b.known.at(x, y) == 0) continue;
          g.sums.add(a.slope_x.at(x, y), a.slope_y.at(x, y),
                     {1, a.stops.at(x, y), x + 0.5 - 0.5 * w - g.middle.x,
                      y + 0.5 - 0.5 * h - g.middle.y});
          ++g.n;
        }
      g.sums.finish();
    }
  });
  std::erase_if(out, [](const Ground& g) { return g.n < kFewest; });
  return out;
}

std::vector<Block> blocks_of(const SlopedFrame& a, const SlopedFrame& b, const Similarity& now,
                             const std::vector<Ground>& grounds) {
  const int w = a.stops.width, h = a.stops.height;
  std::vector<Block> blocks(grounds.size());
  parallel_ranges(static_cast<int>(grounds.size()), 16, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const Ground& g = grounds[static_cast<std::size_t>(k)];
      Block& block = blocks[static_cast<std::size_t>(k)];
      const Offset to = moved(now, g.middle);
      block.x = 2 * g.middle.x / w, block.y = 2 * g.middle.y / w, block.n = g.n;
      const Plane there =
          displaced_part(b.stops, {to.x - g.middle.x, to.y - g.middle.y}, g.x0, g.y0, g.x1, g.y1);
      Explained sums = g.sums;
      // Within the part it turns too: by so much, at each of its pixels.
      const double turn = now.angle, grow = std::expm1(now.log_scale);
      for (int y = g.y0; y < g.y1; ++y)
        for (int x = g.x0; x < g.x1; ++x) {
          if (a.known.at(x, y) == 0 || b.known.at(x, y) == 0) continue;
          const double gx = a.slope_x.at(x, y), gy = a.slope_y.at(x, y), s = a.stops.at(x, y);
          const double px = x + 0.5 - 0.5 * w - g.middle.x, py = y + 0.5 - 0.5 * h - g.middle.y;
          const double r = there.at(x - g.x0, y - g.y0) - s + gx * (grow * px - turn * py) +
                           gy * (turn * px + grow * py);
          sums.add_difference(gx, gy, r, {1, s, px, py});
        }
      const auto left = sums.unexplained();
      block.xx = left[0][0], block.xy = left[0][1], block.yy = left[1][1];
      block.xr = left[0][2], block.yr = left[1][2], block.rr = left[2][2];
    }
  });
  std::erase_if(blocks, [](const Block& k) { return k.det() < 1e-9 * k.n * k.n; });
  // In units of what the block's own movement leaves.
  for (Block& k : blocks) {
    const double left = std::max(k.rr - k.own_x() * k.xr - k.own_y() * k.yr, 1e-6 * k.n) / k.n;
    for (double* v : {&k.xx, &k.xy, &k.yy, &k.xr, &k.yr}) *v /= left;
  }
  return blocks;
}

// The movement that fits the blocks best, of the first `unknowns` alone.
Vector solved(const std::vector<Block>& blocks, std::size_t unknowns) {
  std::array<Vector, kUnknowns> normal{};
  Vector out{};
  for (const Block& k : blocks) {
    for (std::size_t i = 0; i < unknowns; ++i) {
      Vector unit{};
      unit[i] = 1;
      const double x = k.by_x(unit), y = k.by_y(unit);
      out[i] += k.weight * (x * k.xr + y * k.yr);
      for (std::size_t j = 0; j < unknowns; ++j) {
        Vector other{};
        other[j] = 1;
        const double ox = k.by_x(other), oy = k.by_y(other);
        normal[i][j] += k.weight * (x * (k.xx * ox + k.xy * oy) + y * (k.xy * ox + k.yy * oy));
      }
    }
  }
  return solve(normal, out, 1e-9, unknowns);
}

// By how much turn and scale fit better than the best shift alone, in units of what they leave,
// with the blocks' weights. fit: the rest of the movement, as just solved.
double gain_over_shift(const std::vector<Block>& blocks, const Vector& fit, double turn,
                       double scale) {
  // Of what each block would have without them.
  auto sum_of = [&](const Vector& v, double by) {
    double sum = 0;
    for (const Block& k : blocks) {
      const Vector taken{0, 0, by * turn, by * scale};
      const double x = k.own_x() + k.by_x(taken) - k.by_x(v),
                   y = k.own_y() + k.by_y(taken) - k.by_y(v);
      sum += k.weight * (k.xx * x * x + 2 * k.xy * x * y + k.yy * y * y);
    }
    return sum;
  };
  double weights = 0;
  for (const Block& k : blocks) weights += k.weight;
  const double left = sum_of(fit, 0);
  // The best shift where the turn and the scale so far are put back.
  std::vector<Block> back = blocks;
  for (Block& k : back) {
    const Vector taken{0, 0, turn, scale};
    const double x = k.by_x(taken), y = k.by_y(taken);
    k.xr += k.xx * x + k.xy * y, k.yr += k.xy * x + k.yy * y;
  }
  const Vector shift = solved(back, 2);
  const double freedom = std::max(2 * weights - 4, 1.0);
  return (sum_of(shift, 1) - left) / std::max(left / freedom, 1e-12);
}

// The median over the half of the blocks with most weight.
double doubt_of(const std::vector<Block>& blocks, const std::vector<double>& pixels) {
  std::vector<std::pair<double, double>> sorted;
  for (std::size_t i = 0; i < blocks.size(); ++i)
    sorted.emplace_back(blocks[i].xx + blocks[i].yy, pixels[i]);
  std::ranges::sort(sorted, std::greater());
  std::vector<double> best;
  for (std::size_t i = 0; i < (sorted.size() + 1) / 2; ++i) best.push_back(sorted[i].second);
  return median(best);
}

}  // namespace

Offset moved(const Similarity& by, const Offset& p) {
  const double scale = std::exp(by.log_scale), c = scale * std::cos(by.angle),
               s = scale * std::sin(by.angle);
  return {c * p.x - s * p.y + by.dx, s * p.x + c * p.y + by.dy};
}

Similarity then(const Similarity& first, const Similarity& second) {
  const Offset to = moved(second, {first.dx, first.dy});
  return {to.x, to.y, first.angle + second.angle, first.log_scale + second.log_scale};
}

Similarity inverse(const Similarity& of) {
  const Similarity turned{0, 0, -of.angle, -of.log_scale};
  const Offset back = moved(turned, {-of.dx, -of.dy});
  return {back.x, back.y, -of.angle, -of.log_scale};
}

static MeasuredSimilarity fitted(const SlopedFrame& a, const SlopedFrame& b, const Shift& about,
                                 bool shift_alone, const std::vector<Ground>& grounds) {
  constexpr int kRounds = 10, kReweightings = 12;
  const double enough = shift_alone ? 5e-4 : 1e-3;  // pixels
  const std::size_t unknowns = shift_alone ? 2 : kUnknowns, fewest = 2 * unknowns;
  const double half = 0.5 * a.stops.width;
  MeasuredSimilarity out;
  out.move.dx = about.dx, out.move.dy = about.dy;
  for (int round = 0; round < kRounds; ++round) {
    std::vector<Block> blocks = blocks_of(a, b, out.move, grounds);
    if (blocks.size() < fewest) return out;
    Vector more{};
    std::vector<double> pixels;
    for (int k = 0; k < kReweightings; ++k) {
      more = solved(blocks, unknowns);
      std::vector<double> away;
      pixels.clear();
      for (const Block& block : blocks) {
        const double x = block.own_x() - block.by_x(more), y = block.own_y() - block.by_y(more);
        away.push_back(block.xx * x * x + 2 * block.xy * x * y + block.yy * y * y);
        pixels.push_back(std::hypot(x, y));
      }
      const double unit = 2 * median(away) + 1e-12;
      for (std::size_t i = 0; i < blocks.size(); ++i) {
        const double q = 1 + away[i] / unit;
        blocks[i].weight = 1 / (q * q);
      }
    }
    // b lies too far by that: it is taken back before the rest of the movement.
    const Similarity back{-more[0], -more[1], -more[2] / half, -more[3] / half};
    out.move = then(back, out.move);
    out.doubt = doubt_of(blocks, pixels);
    out.known = true;
    out.better_than_shift = shift_alone ? 0
                                        : gain_over_shift(blocks, more, -out.move.angle * half,
                                                          -out.move.log_scale * half);
    if (std::fabs(more[0]) + std::fabs(more[1]) + std::fabs(more[2]) + std::fabs(more[3]) < enough)
      break;
  }
  return out;
}

// A strip of ground says nothing of a turn: beyond the strip it would be a guess.
static bool is_narrow(const std::vector<Ground>& grounds, int width, int height) {
  constexpr double kLeastDown = 0.1, kLeastAcross = 0.15;  // deviation, of the height and the width
  double n = 0, x = 0, y = 0, xx = 0, yy = 0;
  for (const Ground& g : grounds)
    ++n, x += g.middle.x, y += g.middle.y, xx += g.middle.x * g.middle.x,
        yy += g.middle.y * g.middle.y;
  if (n < 2) return true;
  const double across = std::sqrt(std::max(xx / n - x * x / (n * n), 0.0)) / width,
               down = std::sqrt(std::max(yy / n - y * y / (n * n), 0.0)) / height;
  return across < kLeastAcross || down < kLeastDown;
}

MeasuredSimilarity measure_similarity(const SlopedFrame& a, const SlopedFrame& b,
                                      const Shift& about, bool shift_alone, bool partly) {
  const std::vector<Ground> grounds = grounds_of(a, b);
  if (!shift_alone && partly && is_narrow(grounds, a.stops.width, a.stops.height)) {
    MeasuredSimilarity out = fitted(a, b, about, true, grounds);
    out.shift = out.move;
    return out;
  }
  MeasuredSimilarity out = fitted(a, b, about, shift_alone, grounds);
  if (shift_alone || !out.known) return out;
  // Two more numbers have to explain more than so many would by chance (BIC): of each block's two
  // directions, with what the model itself leaves (blocks err together).
  constexpr double kBlocksErrTogether = 3;
  const double chance = kBlocksErrTogether * 2 * std::log(2 * static_cast<double>(grounds.size()));
  out.turns = out.better_than_shift > chance;
  out.shift = out.move;
  if (out.turns) return out;
  const MeasuredSimilarity shift = fitted(a, b, {out.move.dx, out.move.dy, true}, true, grounds);
  if (shift.known) out.shift = shift.move;
  return out;
}

}  // namespace tsukimi
