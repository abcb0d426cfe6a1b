// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/cell_courses.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/median.h"
#include "base/parallel.h"

namespace tsukimi {
namespace {

std::vector<int> neighbours_of(int c, const std::vector<char>& good) {
  std::vector<int> out;
  const int x = c % CellLight::kAcross, y = c / CellLight::kAcross;
  for (int j = std::max(0, y - 1); j <= std::min(CellLight::kDown - 1, y + 1); ++j)
    for (int i = std::max(0, x - 1); i <= std::min(CellLight::kAcross - 1, x + 1); ++i)
      if (const int n = j * CellLight::kAcross + i; n != c && good[n]) out.push_back(n);
  return out;
}

}  // namespace

// fn(first cell) for every kLanes of them; the last ones may lie beyond count_.
template <typename Fn>
void CellCourses::in_lanes(const Fn& fn) const {
  parallel_ranges(static_cast<int>(row_) / kLanes, 1, [&](int first, int last) {
    for (int b = first; b < last; ++b) fn(b * kLanes);
  });
}

CellCourses::CellCourses(const CellLight& light, const std::vector<double>& axis,
                         const std::vector<double>& stair)
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

void CellCourses::smooth(const std::vector<double>& weight, double period) {
  BandedSystem system(frames_, 2);
  std::vector<double> w(weight);
  for (int f = 0; f < frames_; ++f) {
    w[f] = std::max(w[f], 1e-6);  // a stretch without weight stays solvable
    system.add(f, f, w[f]);
  }
  system.add_second_differences(lambda_for_period(period), axis_);
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

void CellCourses::find_scales() {
  constexpr float kFinest = 0.002f;  // stops
  // Tukey's constant for 95 % efficiency; and, since the scale is that of a cell's noise alone,
  // how much more all of a steady surface does together.
  constexpr float kTukey = 4.685f, kTogether = 3;
  // Of so many frames the middle is known to a few per cent; of more, some say the same.
  constexpr int kEnough = 750;
  const int every = std::max(1, frames_ / kEnough);
  in_lanes([&](int first) {
    std::vector<float> apart[kLanes];
    for (auto& a : apart) a.reserve(static_cast<std::size_t>(frames_ / every + 1));
    for (int f = 0; f < frames_; f += every)
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
      const float scale = std::max(kFinest, static_cast<float>(kSigmaPerMad) * *middle);
      steady_[first + l] = 1 / (scale * scale);
      reach_[first + l] = kTogether * kTukey * scale;
    }
  });
}

void CellCourses::fill_apart(const std::function<void(int f, float* out)>& common) {
  parallel_ranges(frames_, 16, [&](int first, int last) {
    std::vector<float> shared(row_);
    for (int f = first; f < last; ++f) {
      common(f, shared.data());
      for (int k = 0; k < count_; ++k) {
        const bool agrees = known(f, k) && std::fabs(beyond(f, k) - shared[k]) < reach_[k];
        filled_[at(f) + k] = agrees ? given_[at(f) + k] : own_[at(f) + k] + shared[k];
      }
    }
  });
}

// Those that are known in most frames and have known neighbours; where an area is so small that
// hardly any has, all that are known.
void CellCourses::choose(const CellLight& light) {
  constexpr double kFewest = 0.6, kMost = 0.95;  // of the frames
  std::vector<int> times(CellLight::kCells, 0);
  for (int f = 0; f < frames_; ++f)
    for (int c = 0; c < CellLight::kCells; ++c) times[c] += light.frame(f)[c] == light.frame(f)[c];
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

// Frames in which a cell is not known get the nearest value before, or after.
void CellCourses::fill_unknown() {
  std::vector<float> last(row_, std::numeric_limits<float>::quiet_NaN());
  const auto fill = [&](int f) {  // a frame at a time: as they lie in memory
    for (int k = 0; k < count_; ++k) {
      float& v = given_[at(f) + k];
      last[k] = v = v == v ? v : last[k];
    }
  };
  for (int f = 0; f < frames_; ++f) fill(f);
  for (int f = frames_ - 1; f >= 0; --f) fill(f);
}

}  // namespace tsukimi
