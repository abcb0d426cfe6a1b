// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/flicker.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/banded.h"
#include "base/median.h"
#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr double kPeriod = 20;  // frames: a cell's own course is what is slower

// The cells that are known in most frames, side by side for each frame: their light without the
// camera's gain, and what is taken for it where it is not known or does not agree.
class Cells {
 public:
  Cells(const CellLight& light, const std::vector<double>& axis, const std::vector<double>& stair)
      : frames_(light.frames), axis_(axis) {
    choose(light);
    const std::size_t all = static_cast<std::size_t>(frames_) * row_;
    given_.resize(all), own_.resize(all), known_.resize(all);
    for (int f = 0; f < frames_; ++f)
      for (int k = 0; k < count_; ++k) {
        const float v = light.frame(f)[cells_[static_cast<std::size_t>(k)]] -
                        static_cast<float>(stair[static_cast<std::size_t>(f)]);
        given_[at(f) + k] = v;
        known_[at(f) + k] = v == v;
      }
    fill_unknown();
    filled_ = given_;
    steady_.assign(row_, 0);
    reach_.assign(row_, 1);
  }

  int frames() const { return frames_; }
  int count() const { return count_; }
  // What a cell has in a frame beyond its own course, stops; that course.
  float beyond(int f, int k) const { return given_[at(f) + k] - own_[at(f) + k]; }
  float own(int f, int k) const { return own_[at(f) + k]; }
  bool known(int f, int k) const { return known_[at(f) + k]; }
  float steady(int k) const { return steady_[k]; }  // its weight: 1 / scale^2
  bool whole(int k) const { return whole_[k]; }     // known in nearly all frames
  // From how far on it takes no part, stops.
  float reach(int k) const { return reach_[k]; }
  // Weights in a frame: 0 where it is not known. Rows are whole vectors.
  std::size_t row() const { return row_; }

  // The cells' own courses: Whittaker's smoother through what is filled. weight: of frames.
  void smooth(const std::vector<double>& weight) {
    BandedSystem system(frames_, 2);
    std::vector<double> w(weight);
    for (int f = 0; f < frames_; ++f) {
      w[f] = std::max(w[f], 1e-6);  // a stretch without weight stays solvable
      system.add(f, f, w[f]);
    }
    system.add_second_differences(lambda_for_period(kPeriod), axis_);
    system.factor();
    in_lanes([&](int first) {
      std::vector<double> course(static_cast<std::size_t>(frames_) * kLanes);
      for (int f = 0; f < frames_; ++f)
        for (int l = 0; l < kLanes; ++l)
          course[static_cast<std::size_t>(f) * kLanes + l] = w[f] * filled_[at(f) + first + l];
      system.solve_lanes(course);
      for (int f = 0; f < frames_; ++f)
        for (int l = 0; l < kLanes; ++l)
          own_[at(f) + first + l] =
              static_cast<float>(course[static_cast<std::size_t>(f) * kLanes + l]);
    });
  }

  // How steady each cell is: the robust scatter over time of what it has beyond its neighbours, so
  // that flicker of the frame, or of a large part of it, makes none unsteady.
  void find_scales() {
    constexpr float kLeast = 0.002f;  // stops
    in_lanes([&](int first) {
      std::vector<float> apart[kLanes];
      for (auto& a : apart) a.reserve(static_cast<std::size_t>(frames_));
      for (int f = 0; f < frames_; ++f)
        for (int l = 0; l < kLanes && first + l < count_; ++l) {
          const int k = first + l;
          if (!known(f, k)) continue;
          float mean = 0;
          for (int n : round_[k]) mean += beyond(f, n);
          apart[l].push_back(std::fabs(beyond(f, k) - mean / static_cast<float>(round_[k].size())));
        }
      for (int l = 0; l < kLanes && first + l < count_; ++l) {
        auto& a = apart[l];
        const auto middle = a.begin() + static_cast<std::ptrdiff_t>(a.size() / 2);
        std::nth_element(a.begin(), middle, a.end());
        const float scale = std::max(kLeast, 1.4826f * *middle);
        steady_[first + l] = 1 / (scale * scale);
        // The scale is that of its noise alone; what a steady surface does is a few times that.
        reach_[first + l] = 3 * 4.685f * scale;
      }
    });
  }

  // What does not agree with a frame's factor counts as the cell's own course has it.
  void fill_apart(const std::vector<double>& factor) {
    parallel_ranges(frames_, 16, [&](int first, int last) {
      for (int f = first; f < last; ++f)
        for (int k = 0; k < count_; ++k) {
          const auto common = static_cast<float>(factor[f]);
          const bool agrees = known(f, k) && std::fabs(beyond(f, k) - common) < reach_[k];
          filled_[at(f) + k] = agrees ? given_[at(f) + k] : own_[at(f) + k] + common;
        }
    });
  }

 private:
  static constexpr int kLanes = BandedSystem::kLanes;

  std::size_t at(int f) const { return static_cast<std::size_t>(f) * row_; }

  // fn(first cell) for every kLanes of them; the last ones may lie beyond count_.
  template <typename Fn>
  void in_lanes(const Fn& fn) const {
    parallel_ranges(static_cast<int>(row_) / kLanes, 1, [&](int first, int last) {
      for (int b = first; b < last; ++b) fn(b * kLanes);
    });
  }

  // Those that are known in most frames and have known neighbours; where an area is so small that
  // hardly any has, all that are known.
  void choose(const CellLight& light) {
    constexpr double kFewest = 0.6, kMost = 0.95;  // of the frames
    std::vector<int> times(CellLight::kCells, 0);
    for (int f = 0; f < frames_; ++f)
      for (int c = 0; c < CellLight::kCells; ++c)
        times[c] += light.frame(f)[c] == light.frame(f)[c];
    std::vector<char> good(CellLight::kCells);
    for (int c = 0; c < CellLight::kCells; ++c)
      good[c] = light.counts[c] && times[c] > 0 && times[c] >= kFewest * frames_;
    std::vector<int> with_neighbours, all;
    for (int c = 0; c < CellLight::kCells; ++c) {
      if (!good[c]) continue;
      all.push_back(c);
      if (neighbours_of(c, good).size() >= 3) with_neighbours.push_back(c);
    }
    cells_ = 2 * with_neighbours.size() > all.size() ? with_neighbours : all;
    count_ = static_cast<int>(cells_.size());
    row_ = (cells_.size() + kLanes - 1) / kLanes * kLanes;
    std::vector<int> place(CellLight::kCells, -1);
    for (int k = 0; k < count_; ++k) place[cells_[k]] = k;
    for (int c : cells_) {
      whole_.push_back(times[c] >= kMost * frames_);
      std::vector<int> round;
      for (int n : neighbours_of(c, good))
        if (place[n] >= 0) round.push_back(place[n]);
      if (round.empty()) round.push_back(place[c]);  // alone it is taken for steady
      round_.push_back(std::move(round));
    }
  }

  static std::vector<int> neighbours_of(int c, const std::vector<char>& good) {
    std::vector<int> out;
    const int x = c % CellLight::kAcross, y = c / CellLight::kAcross;
    for (int j = std::max(0, y - 1); j <= std::min(CellLight::kDown - 1, y + 1); ++j)
      for (int i = std::max(0, x - 1); i <= std::min(CellLight::kAcross - 1, x + 1); ++i)
        if (const int n = j * CellLight::kAcross + i; n != c && good[n]) out.push_back(n);
    return out;
  }

  // Frames in which a cell is not known get the nearest value before, or after.
  void fill_unknown() {
    for (int k = 0; k < count_; ++k) {
      float last = std::numeric_limits<float>::quiet_NaN();
      for (int f = 0; f < frames_; ++f)
        last = given_[at(f) + k] = known(f, k) ? given_[at(f) + k] : last;
      for (int f = frames_ - 1; f >= 0; --f) {
        float& v = given_[at(f) + k];
        last = v = v == v ? v : last;
      }
    }
  }

  int frames_, count_ = 0;
  std::size_t row_ = 0;  // cells of a frame, up to a whole number of lanes
  const std::vector<double>& axis_;
  std::vector<int> cells_;               // their places in the grid
  std::vector<std::vector<int>> round_;  // neighbours of each, as numbers of this list
  std::vector<char> whole_, known_;
  std::vector<float> given_, filled_, own_, steady_, reach_;
};

// The cells of one frame, as the fit goes over them again and again.
class FrameFit {
 public:
  FrameFit(const Cells& cells, int f)
      : beyond_(cells.row()), weight_(cells.row()), per_(cells.row()) {
    for (int k = 0; k < cells.count(); ++k) {
      if (!cells.known(f, k)) continue;
      beyond_[k] = cells.beyond(f, k);
      weight_[k] = cells.steady(k);
      per_[k] = 1 / cells.reach(k);
      all_ += weight_[k];
      sorted_.push_back(beyond_[k]);
    }
  }

  struct Factor {
    double stops = 0, agreement = 0;
  };
  // Begun from the middle of the cells, and from nothing, which must win clearly: where an event
  // covers most of the frame the rest of it is what has not changed.
  Factor best() {
    constexpr double kClearly = 1.1;
    if (sorted_.empty()) return {std::numeric_limits<double>::quiet_NaN(), 0};
    const auto at = sorted_.begin() + static_cast<std::ptrdiff_t>(sorted_.size() / 2);
    std::nth_element(sorted_.begin(), at, sorted_.end());
    const Factor middle = from(*at), none = from(0);
    return none.agreement > kClearly * middle.agreement ? none : middle;
  }

 private:
  Factor from(double start) const {
    constexpr int kRounds = 12;
    constexpr double kDone = 1e-6;  // stops
    Factor out{start, 0};
    for (int round = 0; round < kRounds; ++round) {
      const auto [weight, sum] = sums(static_cast<float>(out.stops));
      if (weight <= 0) return out;
      out.agreement = weight / all_;
      out.stops += sum / weight;
      if (std::fabs(sum / weight) < kDone) break;
    }
    return out;
  }

  // Tukey's weights about a value, and what they leave of it. In a few lanes, so that the compiler
  // makes vectors of them.
  std::pair<double, double> sums(float about) const {
    constexpr std::size_t kLanes = 8;
    float weight[kLanes] = {}, sum[kLanes] = {};
    for (std::size_t k = 0; k < beyond_.size(); k += kLanes)
      for (std::size_t l = 0; l < kLanes; ++l) {
        const float off = beyond_[k + l] - about, u = off * per_[k + l],
                    left = std::max(0.0f, 1 - u * u), w = weight_[k + l] * left * left;
        weight[l] += w;
        sum[l] += w * off;
      }
    double all_weight = 0, all = 0;
    for (std::size_t l = 0; l < kLanes; ++l) all_weight += weight[l], all += sum[l];
    return {all_weight, all};
  }

  std::vector<float> beyond_, weight_, per_;  // 0 where a cell is not known
  std::vector<float> sorted_;
  double all_ = 0;
};

// The mean of the steady cells' own courses, of those that are known in nearly all frames if there
// are enough.
std::vector<double> mean_course(const Cells& cells) {
  constexpr double kEnough = 0.1;  // of the weight
  double all = 0, whole = 0;
  for (int k = 0; k < cells.count(); ++k)
    all += cells.steady(k), whole += cells.whole(k) ? cells.steady(k) : 0;
  const bool only_whole = whole > kEnough * all;
  std::vector<double> out(static_cast<std::size_t>(cells.frames()), 0.0);
  parallel_ranges(cells.frames(), 16, [&](int first, int last) {
    for (int f = first; f < last; ++f) {
      double sum = 0;
      for (int k = 0; k < cells.count(); ++k)
        if (!only_whole || cells.whole(k))
          sum += static_cast<double>(cells.steady(k)) * cells.own(f, k);
      out[f] = sum / (only_whole ? whole : all);
    }
  });
  return out;
}

}  // namespace

Flicker find_flicker(const CellLight& light, const std::vector<double>& axis,
                     const std::vector<double>& stair) {
  Flicker out;
  const auto n = static_cast<std::size_t>(light.frames);
  if (light.frames < kFewestForFlicker) return out;
  Cells cells(light, axis, stair);
  if (cells.count() == 0) return out;
  // Frames that stand apart, and cells that do in a frame, are known a little better each time.
  constexpr int kPasses = 3;
  std::vector<double> weight(n, 1.0), factor(n);
  out.agreement.assign(n, 0.0);
  for (int pass = 0; pass < kPasses; ++pass) {
    cells.smooth(weight);
    cells.find_scales();
    parallel_ranges(light.frames, 8, [&](int first, int last) {
      for (int f = first; f < last; ++f) {
        const auto one = FrameFit(cells, f).best();
        factor[f] = one.stops;
        out.agreement[f] = one.agreement;
      }
    });
    out.course = mean_course(cells);
    for (std::size_t f = 0; f < n; ++f) out.course[f] += factor[f];
    weight = isolated_frames(axis, out.course).weight;
    std::vector<double> filled = factor;
    for (double& v : filled) v = std::isnan(v) ? 0 : v;
    cells.fill_apart(filled);
  }
  return out;
}

}  // namespace tsukimi
