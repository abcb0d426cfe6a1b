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

// The logarithms of a row of blocks, cell after cell, each over all frames: sums run along the
// frames.
class BlockLogs {
 public:
  explicit BlockLogs(const std::vector<const LightGrid*>& grids)
      : grids_(grids),
        logs_(static_cast<std::size_t>(kCells) * kAcross * grids.size()),
        valid_(kAcross * grids.size()) {}

  void read(int row) {
    // So many frames together, whose cells stay in the cache while they are put in order.
    constexpr std::size_t kTogether = 16;
    const std::size_t n = grids_.size();
    std::ranges::fill(valid_, char{1});
    for (std::size_t first = 0; first < n; first += kTogether) {
      const std::size_t count = std::min(kTogether, n - first);
      const float* light[kTogether];
      const std::uint8_t* clipped[kTogether];
      for (std::size_t f = 0; f < count; ++f) {
        const LightGrid* grid = grids_[first + f];
        light[f] = grid ? grid->light.data() : kNothing.data();
        clipped[f] = grid ? grid->clipped.data() : kUnclipped.data();
      }
      for (int y = 0; y < kSide; ++y)
        for (int x = 0; x < LightGrid::kColumns; ++x) {
          const auto cell = static_cast<std::size_t>((row * kSide + y) * LightGrid::kColumns + x);
          char* valid = valid_.data() + static_cast<std::size_t>(x / kSide) * n + first;
          float* to = logs_.data() + place(x / kSide, y * kSide + x % kSide) + first;
          for (std::size_t f = 0; f < count; ++f) {
            // One that is clipped or in the noise spoils the block.
            const float v = light[f][cell];
            const bool good = (v > kNoiseFloor) & (clipped[f][cell] <= kMostClipped);
            valid[f] &= good;
            to[f] = good ? v : 1.0f;
          }
        }
    }
    for (float& v : logs_) v = fast_log2(v);
  }
  bool valid(int block, std::size_t frame) const {
    return valid_[static_cast<std::size_t>(block) * grids_.size() + frame];
  }
  const float* cell(int block, int i) const { return logs_.data() + place(block, i); }

 private:
  std::size_t place(int block, int i) const {
    return static_cast<std::size_t>(block * kCells + i) * grids_.size();
  }
  static constexpr std::uint8_t kMostClipped = 5;  // of 255
  // Of a frame that is not measured.
  static constexpr std::array<float, LightGrid::kCells> kNothing{};
  static constexpr std::array<std::uint8_t, LightGrid::kCells> kUnclipped{};
  const std::vector<const LightGrid*>& grids_;
  std::vector<float> logs_;
  std::vector<char> valid_;
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

// Of one cell over all frames, and their squares.
void add_departures(const float* l, const std::vector<float>& share_before,
                    const std::vector<float>& share_after, std::vector<float>& sum,
                    std::vector<float>& squares) {
  for (std::size_t f = 1; f + 1 < sum.size(); ++f) {
    const float apart = l[f] - share_before[f] * l[f - 1] - share_after[f] * l[f + 1];
    sum[f] += apart;
    squares[f] += apart * apart;
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
        if (const float v = seen[b * n + k].stops; v == v) blocks.push_back(v);
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
  constexpr float kUnknown = std::numeric_limits<float>::quiet_NaN();
  std::vector<Departure> seen(kBlocks * n, {kUnknown, 0});
  // By frame, so that the sums run along memory.
  const std::size_t frames = grids.size();
  std::vector<float> share_before(frames, 0.0f), share_after(frames, 0.0f);
  for (const Triple& t : all) {
    share_before[static_cast<std::size_t>(t.here)] = static_cast<float>(t.share_before);
    share_after[static_cast<std::size_t>(t.here)] = static_cast<float>(t.share_after);
  }
  parallel_ranges(BlockPattern::kDown, 1, [&](int first, int last) {
    BlockLogs logs(grids);
    std::vector<float> sum(frames), squares(frames);
    for (int row = first; row < last; ++row) {
      logs.read(row);
      for (int column = 0; column < kAcross; ++column) {
        std::ranges::fill(sum, 0.0f);
        std::ranges::fill(squares, 0.0f);
        for (int i = 0; i < kCells; ++i)
          add_departures(logs.cell(column, i), share_before, share_after, sum, squares);
        for (std::size_t k = 0; k < n; ++k) {
          const auto f = static_cast<std::size_t>(all[k].here);
          if (!logs.valid(column, f - 1) || !logs.valid(column, f) || !logs.valid(column, f + 1))
            continue;
          const float mean = sum[f] / kCells,
                      spread = (squares[f] - kCells * mean * mean) / (kCells - 1);
          seen[static_cast<std::size_t>(row * kAcross + column) * n + k] = {
              mean, std::max(0.0f, spread) / kCells};
        }
      }
    }
  });
  const std::vector<char> out_of_it = lone(all, seen, without);
  constexpr int kFewestFrames = 3;
  // Worse is what is more by a fiftieth, and by more than anybody sees.
  constexpr double kSurely = 1.02, kSeen = 0.1;  // per cent
  FlickerLeft out;
  std::vector<double> before, left;
  int worse = 0;
  std::vector<std::vector<double>> amounts;  // of each pattern, as a frame departs
  for (const BlockPattern& p : patterns) {
    amounts.emplace_back();
    for (const Triple& t : all) amounts.back().push_back(t.departure(p.amounts));
  }
  for (int block = 0; block < kBlocks; ++block) {
    double sum_before = 0, sum_left = 0;
    int count = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const Departure& d = seen[block * n + k];
      if (out_of_it[k] || !(d.stops == d.stops)) continue;
      auto square = [&](double correction) {
        const double v = d.stops + correction;
        return (v * v - d.spread) * all[k].scale * all[k].scale;
      };
      double corrected = all[k].departure(with);
      for (std::size_t p = 0; p < patterns.size(); ++p)
        corrected += patterns[p].at_block[static_cast<std::size_t>(block)] * amounts[p][k];
      sum_before += square(all[k].departure(without));
      sum_left += square(corrected);
      ++count;
    }
    if (count < kFewestFrames) continue;
    before.push_back(percent(sum_before / count));
    left.push_back(percent(sum_left / count));
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
