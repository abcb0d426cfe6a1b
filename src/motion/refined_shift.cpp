#include "motion/refined_shift.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

#include "base/median.h"
#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr int kReach = 4;  // of the smoothing
using Kernel = std::array<float, 2 * kReach + 1>;

// A Gaussian, or its slope.
Kernel gaussian(bool slope) {
  Kernel out{};
  float sum = 0;
  for (int i = -kReach; i <= kReach; ++i) {
    const double t = i / kShiftSmoothing, g = std::exp(-0.5 * t * t);
    const auto at = static_cast<std::size_t>(i + kReach);
    // Sums are normalised so that a plane's value and a ramp's slope come out exactly.
    out[at] = static_cast<float>(slope ? i * g : g);
    sum += slope ? static_cast<float>(i) * out[at] : out[at];
  }
  for (float& v : out) v /= sum;
  return out;
}

Plane filtered(const Plane& in, const Kernel& across, const Kernel& down) {
  Plane half(in.width, in.height), out(in.width, in.height);
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < in.width; ++x) {
        float sum = 0;
        for (int i = -kReach; i <= kReach; ++i)
          sum += across[static_cast<std::size_t>(i + kReach)] *
                 in.at(std::clamp(x + i, 0, in.width - 1), y);
        half.at(x, y) = sum;
      }
  });
  parallel_rows(in.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      float* to = out.row(y);
      std::fill(to, to + in.width, 0.0f);
      for (int i = -kReach; i <= kReach; ++i) {
        const float k = down[static_cast<std::size_t>(i + kReach)];
        const float* from = half.row(std::clamp(y + i, 0, in.height - 1));
        for (int x = 0; x < in.width; ++x) to[x] += k * from[x];
      }
    }
  });
  return out;
}

// Lagrange's polynomial through six pixels, exact enough for what is smoothed.
using Taps = std::array<float, 6>;
Taps taps(double part) {
  Taps out{};
  for (int i = 0; i < 6; ++i) {
    double v = 1;
    for (int j = 0; j < 6; ++j)
      if (j != i) v *= (part - (j - 2)) / (i - j);
    out[static_cast<std::size_t>(i)] = static_cast<float>(v);
  }
  return out;
}

}  // namespace

Plane displaced(const Plane& in, const Shift& shift) {
  const int w = in.width, h = in.height;
  const int ox = static_cast<int>(std::floor(shift.dx)),
            oy = static_cast<int>(std::floor(shift.dy));
  const Taps kx = taps(shift.dx - ox), ky = taps(shift.dy - oy);
  Plane out(w, h);
  parallel_rows(h, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(w) + 5);
    for (int y = y0; y < y1; ++y) {
      std::fill(line.begin(), line.end(), 0.0f);
      for (int j = 0; j < 6; ++j) {
        const float* row = in.row(std::clamp(y + oy + j - 2, 0, h - 1));
        const float k = ky[static_cast<std::size_t>(j)];
        for (int i = 0; i < w + 5; ++i)
          line[static_cast<std::size_t>(i)] += k * row[std::clamp(i + ox - 2, 0, w - 1)];
      }
      for (int x = 0; x < w; ++x) {
        float sum = 0;
        for (int i = 0; i < 6; ++i)
          sum += kx[static_cast<std::size_t>(i)] * line[static_cast<std::size_t>(x + i)];
        out.at(x, y) = sum;
      }
    }
  });
  return out;
}

SlopedFrame slope_frame(const Plane& stops, const Plane& known) {
  const Kernel smooth = gaussian(false), slope = gaussian(true);
  SlopedFrame out{filtered(stops, smooth, smooth), filtered(stops, slope, smooth),
                  filtered(stops, smooth, slope), filtered(known, smooth, smooth)};
  for (float& v : out.known.data) v = v > 0.999f ? 1.0f : 0.0f;
  return out;
}

namespace {

// The normal equations of one part of the picture: its own structure, and what moving it explains.
struct Block {
  double xx = 0, xy = 0, yy = 0, xr = 0, yr = 0, rr = 0, n = 0, weight = 1;
  double det() const { return xx * yy - xy * xy; }
  double own_x() const { return (yy * xr - xy * yr) / det(); }
  double own_y() const { return (xx * yr - xy * xr) / det(); }
};

std::vector<Block> blocks_of(const SlopedFrame& a, const SlopedFrame& b, const Plane& moved) {
  constexpr int kAcross = 16, kDown = 12, kEdge = 4;
  const int w = moved.width, h = moved.height;
  std::vector<Block> blocks(kAcross * kDown);
  parallel_ranges(kAcross * kDown, kAcross, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      Block& block = blocks[static_cast<std::size_t>(k)];
      const int row = k / kAcross, column = k % kAcross;
      for (int y = std::max(kEdge, row * h / kDown); y < std::min(h - kEdge, (row + 1) * h / kDown);
           ++y)
        for (int x = std::max(kEdge, column * w / kAcross);
             x < std::min(w - kEdge, (column + 1) * w / kAcross); ++x) {
          if (a.known.at(x, y) == 0 || b.known.at(x, y) == 0) continue;
          const double r = moved.at(x, y) - a.stops.at(x, y), gx = a.slope_x.at(x, y),
                       gy = a.slope_y.at(x, y);
          block.xx += gx * gx, block.xy += gx * gy, block.yy += gy * gy;
          block.xr += gx * r, block.yr += gy * r, block.rr += r * r, ++block.n;
        }
    }
  });
  std::erase_if(blocks, [](const Block& k) { return k.n < 60 || k.det() < 1e-9 * k.n * k.n; });
  // In units of what the block's own movement leaves.
  for (Block& k : blocks) {
    const double left = std::max(k.rr - k.own_x() * k.xr - k.own_y() * k.yr, 1e-6 * k.n) / k.n;
    for (double* v : {&k.xx, &k.xy, &k.yy, &k.xr, &k.yr}) *v /= left;
  }
  return blocks;
}

Shift solved(const std::vector<Block>& blocks) {
  Block all;
  for (const Block& k : blocks) {
    all.xx += k.weight * k.xx, all.xy += k.weight * k.xy, all.yy += k.weight * k.yy;
    all.xr += k.weight * k.xr, all.yr += k.weight * k.yr;
  }
  return {all.own_x(), all.own_y()};
}

}  // namespace

Shift refine_shift(const SlopedFrame& a, const SlopedFrame& b, Shift about) {
  constexpr int kRounds = 3, kReweightings = 12;
  constexpr std::size_t kFewest = 4;
  Shift out = about;
  out.known = false;
  for (int round = 0; round < kRounds; ++round) {
    std::vector<Block> blocks = blocks_of(a, b, displaced(b.stops, out));
    if (blocks.size() < kFewest) return out;
    Shift more;
    std::vector<double> pixels;
    for (int k = 0; k < kReweightings; ++k) {
      more = solved(blocks);
      std::vector<double> away;
      pixels.clear();
      for (const Block& block : blocks) {
        const double x = block.own_x() - more.dx, y = block.own_y() - more.dy;
        away.push_back(block.xx * x * x + 2 * block.xy * x * y + block.yy * y * y);
        pixels.push_back(std::hypot(x, y));
      }
      const double unit = 2 * median(away) + 1e-12;
      for (std::size_t i = 0; i < blocks.size(); ++i) {
        const double q = 1 + away[i] / unit;
        blocks[i].weight = 1 / (q * q);
      }
    }
    out.dx -= more.dx, out.dy -= more.dy;
    // Of the half that has most to say.
    std::vector<std::pair<double, double>> by_weight;
    for (std::size_t i = 0; i < blocks.size(); ++i)
      by_weight.emplace_back(blocks[i].xx + blocks[i].yy, pixels[i]);
    std::ranges::sort(by_weight, std::greater());
    std::vector<double> best;
    for (std::size_t i = 0; i < (by_weight.size() + 1) / 2; ++i)
      best.push_back(by_weight[i].second);
    out.doubt = median(best);
    out.known = true;
  }
  return out;
}

}  // namespace tsukimi
