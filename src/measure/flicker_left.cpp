// SPDX-License-Identifier: GPL-3.0-or-later
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
constexpr int kAcross = BlockPattern::kAcross, kBlocks = kAcross * BlockPattern::kDown;

// The logarithms of a frame's cells, and which blocks have none that is clipped or in the noise.
class FrameLogs {
 public:
  void read(const LightGrid& grid) {
    constexpr std::uint8_t kMostClipped = 5;  // of 255
    valid_.fill(1);
    for (int y = 0; y < LightGrid::kRows; ++y) {
      const auto first = static_cast<std::size_t>(y) * LightGrid::kColumns;
      std::array<char, LightGrid::kColumns> good;
      for (std::size_t x = 0; x < good.size(); ++x)
        good[x] = (grid.light[first + x] > kNoiseFloor) & (grid.clipped[first + x] <= kMostClipped);
      for (std::size_t x = 0; x < good.size(); ++x)
        valid_[static_cast<std::size_t>(y) / kSide * kAcross + x / kSide] &= good[x];
    }
    for (std::size_t c = 0; c < logs_.size(); ++c) logs_[c] = fast_log2(grid.light[c]);
  }
  bool valid(std::size_t block) const { return valid_[block]; }
  const float* row(int y) const { return logs_.data() + y * LightGrid::kColumns; }

 private:
  std::array<float, LightGrid::kCells> logs_;
  std::array<char, kBlocks> valid_;
};

// Three frames in a row that can be compared: the middle one against the line between the others.
struct Triple {
  int here;
  double share_before, share_after, scale;

  double departure(const std::vector<double>& v) const {
    return v[here] - share_before * v[here - 1] - share_after * v[here + 1];
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
    out.push_back({i, wa, wb, 1 / std::sqrt(1 + wa * wa + wb * wb)});
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

// Of every block in three frames in a row.
void departures(const Triple& t, const FrameLogs& before, const FrameLogs& here,
                const FrameLogs& after, Departure* out) {
  const auto share_before = static_cast<float>(t.share_before),
             share_after = static_cast<float>(t.share_after);
  constexpr float kUnknown = std::numeric_limits<float>::quiet_NaN();
  for (int row = 0; row < BlockPattern::kDown; ++row) {
    std::array<float, LightGrid::kColumns> sum{}, squares{};
    for (int y = row * kSide; y < (row + 1) * kSide; ++y) {
      const float *b = before.row(y), *h = here.row(y), *a = after.row(y);
      for (std::size_t x = 0; x < sum.size(); ++x) {
        const float apart = h[x] - share_before * b[x] - share_after * a[x];
        sum[x] += apart;
        squares[x] += apart * apart;
      }
    }
    for (int column = 0; column < kAcross; ++column) {
      const auto block = static_cast<std::size_t>(row * kAcross + column);
      out[block] = {kUnknown, 0};
      if (!before.valid(block) || !here.valid(block) || !after.valid(block)) continue;
      float all = 0, all_squares = 0;
      for (int x = column * kSide; x < (column + 1) * kSide; ++x)
        all += sum[x], all_squares += squares[x];
      const float mean = all / kCells, spread = (all_squares - kCells * mean * mean) / (kCells - 1);
      out[block] = {mean, std::max(0.0f, spread) / kCells};
    }
  }
}

// Triples that are about one picture alone: a good part of its blocks departs far more than in
// others.
std::vector<char> lone(const std::vector<Triple>& all, const std::vector<Departure>& seen,
                       const std::vector<double>& without) {
  constexpr std::array kParts{0.1, 0.5, 0.9};  // of the blocks, in order
  const std::size_t n = all.size();
  std::array<std::vector<double>, kParts.size()> common;
  for (auto& of_part : common) of_part.resize(n);
  std::vector<double> given(n, 0.0), weight(n, 0.0);
  parallel_ranges(static_cast<int>(n), 16, [&](int first, int last) {
    std::vector<double> blocks;
    for (auto k = static_cast<std::size_t>(first); k < static_cast<std::size_t>(last); ++k) {
      blocks.clear();
      for (std::size_t b = 0; b < kBlocks; ++b)
        if (const float v = seen[k * kBlocks + b].stops; v == v) blocks.push_back(v);
      if (blocks.empty()) continue;
      given[k] = 1;
      for (std::size_t p = 0; p < kParts.size(); ++p)
        common[p][k] = all[k].scale * (quantile(blocks, kParts[p]) + all[k].departure(without));
    }
  });
  std::vector<char> out(n, 0);
  for (const auto& of_part : common) {
    // From where that part lies in other frames.
    std::vector<double> known;
    for (std::size_t k = 0; k < n; ++k)
      if (given[k] > 0) known.push_back(of_part[k]);
    const double usual = quantile(std::move(known), 0.5);
    std::vector<double> apart(of_part);
    for (double& v : apart) v -= usual;
    tukey_weights(apart, given, weight, 0.001);
    for (std::size_t k = 0; k < n; ++k) out[k] |= given[k] > 0 && weight[k] == 0;
  }
  return out;
}

}  // namespace

FlickerLeft measure_flicker_left(const std::vector<const LightGrid*>& grids,
                                 const std::vector<double>& axis,
                                 const std::vector<double>& without,
                                 const std::vector<double>& with,
                                 const std::vector<BlockPattern>& patterns) {
  const auto all = triples(grids, axis);
  const std::size_t n = all.size();
  std::vector<Departure> seen(kBlocks * n);  // of each triple its blocks
  parallel_ranges(static_cast<int>(n), 64, [&](int first, int last) {
    // Frames follow one another: each is read once.
    std::array<FrameLogs, 3> logs;
    std::array<int, 3> read{-1, -1, -1};
    const auto of_frame = [&](int f) -> const FrameLogs& {
      const auto slot = static_cast<std::size_t>(f % 3);
      if (read[slot] != f) logs[slot].read(*grids[static_cast<std::size_t>(f)]), read[slot] = f;
      return logs[slot];
    };
    for (int k = first; k < last; ++k) {
      const int f = all[static_cast<std::size_t>(k)].here;
      departures(all[static_cast<std::size_t>(k)], of_frame(f - 1), of_frame(f), of_frame(f + 1),
                 seen.data() + static_cast<std::size_t>(k) * kBlocks);
    }
  });
  const std::vector<char> out_of_it = lone(all, seen, without);
  constexpr int kFewestFrames = 3;
  // Worse is what is more by a fiftieth, and by more than anybody sees.
  constexpr double kSurely = 1.02, kSeen = 0.1;  // per cent
  FlickerLeft out;
  std::array<double, kBlocks> sum_before{}, sum_left{};
  std::array<int, kBlocks> count{};
  for (std::size_t k = 0; k < n; ++k) {
    if (out_of_it[k]) continue;
    const Triple& t = all[k];
    const double as_it_was = t.departure(without), corrected = t.departure(with);
    std::vector<double> amounts;  // of each pattern, as the frame departs
    for (const BlockPattern& p : patterns) amounts.push_back(t.departure(p.amounts));
    for (std::size_t block = 0; block < kBlocks; ++block) {
      const Departure& d = seen[k * kBlocks + block];
      if (!(d.stops == d.stops)) continue;
      double uneven = 0;
      for (std::size_t p = 0; p < patterns.size(); ++p)
        uneven += patterns[p].at_block[block] * amounts[p];
      const auto square = [&](double correction) {
        const double v = d.stops + correction;
        return (v * v - d.spread) * t.scale * t.scale;
      };
      sum_before[block] += square(as_it_was);
      sum_left[block] += square(corrected + uneven);
      ++count[block];
    }
  }
  std::vector<double> before, left;
  int worse = 0;
  for (std::size_t block = 0; block < kBlocks; ++block) {
    if (count[block] < kFewestFrames) continue;
    before.push_back(percent(sum_before[block] / count[block]));
    left.push_back(percent(sum_left[block] / count[block]));
    worse += left.back() > before.back() * kSurely + kSeen;
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
