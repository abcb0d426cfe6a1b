#include "measure/flicker_left.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "base/banded.h"
#include "base/parallel.h"
#include "image/fast_math.h"
#include "measure/brightness.h"

namespace tsukimi {
namespace {

constexpr int kSide = 4, kCells = kSide * kSide;
constexpr int kAcross = LightGrid::kColumns / kSide, kDown = LightGrid::kRows / kSide,
              kBlocks = kAcross * kDown;

// log2 light of a block's cells; false when one of them is clipped or in the noise.
bool log_block(const LightGrid& grid, int block, std::array<float, kCells>& out) {
  const int left = block % kAcross * kSide, top = block / kAcross * kSide;
  for (int i = 0; i < kCells; ++i) {
    const int cell = (top + i / kSide) * LightGrid::kColumns + left + i % kSide;
    if (!(grid.light[cell] > kNoiseFloor) || grid.clipped[cell] > 5) return false;
    out[i] = fast_log2(grid.light[cell]);
  }
  return true;
}

// Three frames in a row that can be compared: the middle one against the line between the others.
struct Triple {
  int before, here, after;
  double share_before, share_after, scale;

  double departure(const std::vector<double>& v) const {
    return v[here] - share_before * v[before] - share_after * v[after];
  }
};

std::vector<Triple> triples(const std::vector<const LightGrid*>& grids,
                            const std::vector<double>& axis) {
  std::vector<Triple> out;
  for (int i = 1; i + 1 < static_cast<int>(grids.size()); ++i) {
    const int frames[3] = {i - 1, i, i + 1};
    const bool good = std::all_of(std::begin(frames), std::end(frames),
                                  [&](int f) { return grids[f] != nullptr; });
    const double a = axis[i] - axis[i - 1], b = axis[i + 1] - axis[i];
    constexpr double kGap = 2.5;  // intervals
    if (!good || !(a > 0 && b > 0 && a < kGap && b < kGap)) continue;
    const double wa = b / (a + b), wb = a / (a + b);
    out.push_back({i - 1, i, i + 1, wa, wb, 1 / std::sqrt(1 + wa * wa + wb * wb)});
  }
  return out;
}

double percent(double mean_square) {
  return 100 * (std::exp2(std::sqrt(std::max(mean_square, 0.0))) - 1);
}

double quantile(std::vector<double> v, double q) {
  if (v.empty()) return 0;
  const auto at = v.begin() + static_cast<std::ptrdiff_t>(q * static_cast<double>(v.size() - 1));
  std::nth_element(v.begin(), at, v.end());
  return *at;
}

// What three frames say in one block: the middle one's departure in stops, and the square of what
// its cells do not share.
struct Departure {
  float stops, spread;
};

// Triples that are about one picture alone: most of their blocks depart far more than in others.
std::vector<bool> lone(const std::vector<Triple>& all, const std::vector<Departure>& seen,
                       const std::vector<double>& without) {
  const std::size_t n = all.size();
  std::vector<double> common(n), given(n, 0.0), weight(n, 0.0);
  for (std::size_t k = 0; k < n; ++k) {
    std::vector<double> blocks;
    for (int b = 0; b < kBlocks; ++b)
      if (const float v = seen[b * n + k].stops; v == v) blocks.push_back(v);
    if (blocks.empty()) continue;
    common[k] = all[k].scale * (quantile(blocks, 0.5) + all[k].departure(without));
    given[k] = 1;
  }
  tukey_weights(common, given, weight, 0.001);
  std::vector<bool> out(n);
  for (std::size_t k = 0; k < n; ++k) out[k] = given[k] > 0 && weight[k] == 0;
  return out;
}

}  // namespace

FlickerLeft measure_flicker_left(const std::vector<const LightGrid*>& grids,
                                 const std::vector<double>& axis,
                                 const std::vector<double>& without,
                                 const std::vector<double>& with) {
  const auto all = triples(grids, axis);
  const std::size_t n = all.size();
  constexpr float kUnknown = std::numeric_limits<float>::quiet_NaN();
  std::vector<Departure> seen(kBlocks * n, {kUnknown, 0});
  parallel_ranges(kBlocks, 4, [&](int first, int last) {
    std::vector<std::array<float, kCells>> logs(grids.size());
    std::vector<char> valid(grids.size());
    for (int block = first; block < last; ++block) {
      for (std::size_t i = 0; i < grids.size(); ++i)
        valid[i] = grids[i] && log_block(*grids[i], block, logs[i]);
      for (std::size_t k = 0; k < n; ++k) {
        const Triple& t = all[k];
        if (!valid[t.before] || !valid[t.here] || !valid[t.after]) continue;
        double d[kCells], mean = 0, spread = 0;
        for (int i = 0; i < kCells; ++i) {
          d[i] = static_cast<double>(logs[t.here][i]) - t.share_before * logs[t.before][i] -
                 t.share_after * logs[t.after][i];
          mean += d[i] / kCells;
        }
        for (double v : d) spread += (v - mean) * (v - mean) / (kCells - 1);
        seen[block * n + k] = {static_cast<float>(mean), static_cast<float>(spread / kCells)};
      }
    }
  });
  const std::vector<bool> out_of_it = lone(all, seen, without);
  constexpr int kLeast = 3;
  FlickerLeft out;
  std::vector<double> before, left;
  int worse = 0;
  for (int block = 0; block < kBlocks; ++block) {
    double sum_before = 0, sum_left = 0;
    int count = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const Departure& d = seen[block * n + k];
      if (out_of_it[k] || !(d.stops == d.stops)) continue;
      auto square = [&](const std::vector<double>& correction) {
        const double v = d.stops + all[k].departure(correction);
        return (v * v - d.spread) * all[k].scale * all[k].scale;
      };
      sum_before += square(without);
      sum_left += square(with);
      ++count;
    }
    if (count < kLeast) continue;
    before.push_back(percent(sum_before / count));
    left.push_back(percent(sum_left / count));
    worse += left.back() > before.back() * 1.02 + 0.005;
  }
  if (before.empty()) return out;
  out.worse_share = static_cast<double>(worse) / static_cast<double>(before.size());
  out.before_median = quantile(before, 0.5);
  out.before_p90 = quantile(before, 0.9);
  out.left_median = quantile(left, 0.5);
  out.left_p90 = quantile(left, 0.9);
  return out;
}

}  // namespace tsukimi
