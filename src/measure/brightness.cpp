// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/brightness.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>

#include "base/banded.h"
#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr int kLags[] = {1, 2, 4};
constexpr double kTrim = 0.15;  // of the cells, at each end

// A number that is ordered as the floats are.
std::uint32_t rank_of(float v) {
  const auto bits = std::bit_cast<std::uint32_t>(v);
  return bits & 0x80000000u ? ~bits : bits | 0x80000000u;
}

// Values by the first bits of their ranks: to find one in order only its own drawer is sorted.
class Drawers {
 public:
  explicit Drawers(const std::vector<float>& v) : v_(v) {
    for (float x : v) ++count_[rank_of(x) >> kShift];
  }
  // The value that would stand at `place` if they were in order.
  float at(std::size_t place) {
    std::size_t before = 0, drawer = 0;
    while (before + count_[drawer] <= place) before += count_[drawer++];
    here_.clear();
    for (float x : v_)
      if (rank_of(x) >> kShift == drawer) here_.push_back(x);
    const auto it = here_.begin() + static_cast<std::ptrdiff_t>(place - before);
    std::nth_element(here_.begin(), it, here_.end());
    return *it;
  }

 private:
  static constexpr int kShift = 21;
  const std::vector<float>& v_;
  std::array<std::uint32_t, 1u << (32 - kShift)> count_{};
  std::vector<float> here_;
};

double trimmed_mean(const std::vector<float>& v) {
  const auto cut = static_cast<std::size_t>(static_cast<double>(v.size()) * kTrim);
  Drawers drawers(v);
  const float low = drawers.at(cut), high = drawers.at(v.size() - cut - 1);
  const std::size_t kept = v.size() - 2 * cut;
  double sum = 0;
  std::size_t lower = 0, inside = 0;
  for (float x : v) {
    lower += x <= low;
    const bool in = x > low && x < high;
    inside += in;
    sum += in ? x : 0.0F;
  }
  // Of those that are equal to the ends, as many as are kept.
  const std::size_t at_low = low < high ? lower - cut : kept;
  sum += static_cast<double>(low) * static_cast<double>(at_low) +
         static_cast<double>(high) * static_cast<double>(kept - inside - at_low);
  return sum / static_cast<double>(kept);
}

struct Pair {
  int a, b;
  double difference;
};

}  // namespace

double clipped_share(const LightGrid& grid) {
  std::uint32_t sum = 0;
  for (auto c : grid.clipped) sum += c;
  return grid.clipped.empty() ? 0 : sum / (255.0 * static_cast<double>(grid.clipped.size()));
}

namespace {

// The cells that brightness is measured in.
std::vector<int> cells_for(const CellLight& light) {
  // Of many frames the black cells of a chessboard say it well enough: what is found there is
  // where levelling and flicker begin.
  constexpr int kMany = 750;
  std::vector<int> all, black;
  for (int c = 0; c < CellLight::kCells; ++c) {
    if (!light.counts[c]) continue;
    all.push_back(c);
    if ((c % CellLight::kAcross + c / CellLight::kAcross) % 2 == 0) black.push_back(c);
  }
  return light.frames < kMany || black.empty() ? all : black;
}

using Logs = std::vector<std::vector<float>>;  // of each frame its cells

// The middle of how the cells differ from frame to frame, where enough of them can be compared.
std::vector<Pair> compare(const Logs& logs, std::size_t least) {
  const int count = static_cast<int>(logs.size());
  std::vector<Pair> out(static_cast<std::size_t>(count) * std::size(kLags), Pair{-1, -1, 0});
  parallel_ranges(count, 4, [&](int first, int last) {
    std::vector<float> d;
    for (int b = first; b < last; ++b)
      for (std::size_t l = 0; l < std::size(kLags); ++l) {
        const int a = b - kLags[l];
        if (a < 0) continue;
        d.clear();
        for (std::size_t i = 0; i < logs[b].size(); ++i) {
          const float v = logs[b][i] - logs[a][i];
          if (v == v) d.push_back(v);
        }
        if (d.size() >= least)
          out[static_cast<std::size_t>(b) * std::size(kLags) + l] = {a, b, trimmed_mean(d)};
      }
  });
  std::erase_if(out, [](const Pair& p) { return p.a < 0; });
  return out;
}

// Frames that can be compared hang together in pieces; a frame without a tie says nothing.
class Pieces {
 public:
  Pieces(int count, const std::vector<Pair>& pairs) : piece_(count), tied_(count, count == 1) {
    std::iota(piece_.begin(), piece_.end(), 0);
    for (const auto& p : pairs) {
      tied_[p.a] = tied_[p.b] = true;
      piece_[std::max(root(p.a), root(p.b))] = std::min(root(p.a), root(p.b));
    }
  }
  int root(int i) {
    while (piece_[i] != i) i = piece_[i] = piece_[piece_[i]];
    return i;
  }
  bool tied(int i) const { return tied_[i]; }

 private:
  std::vector<int> piece_;
  std::vector<bool> tied_;
};

// Joint solution; the first frame anchors it (a weak tie to 0 keeps separate pieces solvable).
std::vector<double> solve_pairs(int count, const std::vector<Pair>& pairs, Pieces& pieces) {
  std::vector<double> m(count, 0.0), given(pairs.size(), 1.0), weight(pairs.size(), 1.0),
      residual(pairs.size());
  for (int round = 0; round < 6; ++round) {
    BandedSystem system(count, kLags[std::size(kLags) - 1]);
    std::fill(m.begin(), m.end(), 0.0);
    for (int i = 0; i < count; ++i) system.add(i, i, pieces.root(i) == i ? 1.0 : 1e-9);
    for (std::size_t k = 0; k < pairs.size(); ++k) {
      const auto& p = pairs[k];
      system.add(p.a, p.a, weight[k]);
      system.add(p.b, p.b, weight[k]);
      system.add(p.a, p.b, -weight[k]);
      m[p.a] -= weight[k] * p.difference;
      m[p.b] += weight[k] * p.difference;
    }
    system.factor();
    system.solve(m);
    for (std::size_t k = 0; k < pairs.size(); ++k)
      residual[k] = m[pairs[k].b] - m[pairs[k].a] - pairs[k].difference;
    tukey_weights(residual, given, weight, 0.01);
    for (double& w : weight) w = std::max(w, 1e-3);  // no frame may lose all its ties
  }
  return m;
}

}  // namespace

std::vector<double> measure_brightness(const CellLight& light) {
  constexpr double kUnknown = std::numeric_limits<double>::quiet_NaN();
  std::vector<double> out(light.frames, kUnknown);
  const std::vector<int> cells = cells_for(light);
  std::vector<int> known;  // frames
  Logs logs;
  for (int f = 0; f < light.frames; ++f) {
    std::vector<float> here;
    for (int c : cells) here.push_back(light.frame(f)[c]);
    if (std::ranges::all_of(here, [](float v) { return v != v; })) continue;
    known.push_back(f);
    logs.push_back(std::move(here));
  }
  if (known.empty()) return out;

  const int count = static_cast<int>(known.size());
  const std::size_t least = std::max<std::size_t>(1, cells.size() / 50);
  const std::vector<Pair> pairs = compare(logs, least);
  Pieces pieces(count, pairs);
  const std::vector<double> m = solve_pairs(count, pairs, pieces);
  // Absolute level of each piece: the trimmed mean of its first frame that has one.
  std::vector<double> anchor(count, kUnknown);
  for (int i = 0; i < count; ++i) {
    if (!pieces.tied(i)) continue;
    double& of_piece = anchor[pieces.root(i)];
    if (std::isnan(of_piece)) {
      std::vector<float> valid;
      for (float v : logs[i])
        if (v == v) valid.push_back(v);
      if (valid.size() < least) continue;
      of_piece = trimmed_mean(valid) - m[i];
    }
    out[known[i]] = m[i] + of_piece;
  }
  return out;
}

}  // namespace tsukimi
