// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/frame_fit.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/parallel.h"
#include "light/uneven.h"

namespace tsukimi {
namespace {

constexpr int kMostUnknowns = kMostShapes + 1;  // unknowns: the factor comes first

using Unknowns = std::array<double, kMostUnknowns>;

// The cells of one frame, as the fit goes over them again and again.
class CellsOfFrame {
 public:
  CellsOfFrame(const CellCourses& cells, int f, const ShapesAtCells& shapes)
      : shapes_(shapes),
        unknowns_(1 + static_cast<int>(shapes.size())),
        beyond_(cells.row()),
        weight_(cells.row()),
        per_(cells.row()) {
    constexpr int kEvery = 3;  // the middle of so many cells will do to begin with
    int known = 0;
    for (int k = 0; k < cells.count(); ++k) {
      if (!cells.known(f, k)) continue;
      beyond_[k] = cells.beyond(f, k);
      weight_[k] = cells.steady(k);
      per_[k] = 1 / cells.reach(k);
      all_ += weight_[k];
      if (known++ % kEvery == 0) sorted_.push_back(beyond_[k]);
    }
  }

  // Begun from the middle of the cells, and from nothing, which must win clearly: where an event
  // covers most of the frame the rest of it is what has not changed.
  FrameFit best() {
    constexpr double kClearly = 1.1;
    constexpr double kRough = 1e-3, kDone = 1e-6;  // stops: to choose by, to answer with
    if (sorted_.empty()) return {std::numeric_limits<double>::quiet_NaN(), {}, 0};
    const auto at = sorted_.begin() + static_cast<std::ptrdiff_t>(sorted_.size() / 2);
    std::nth_element(sorted_.begin(), at, sorted_.end());
    Unknowns start{*at};
    // Of shapes nobody knows the size to begin with: from wide to narrow.
    if (unknowns_ > 1)
      for (const float wide : {32.0f, 32.0f, 4.0f, 4.0f, 2.0f, 2.0f}) {
        const Sums here = sums(start, wide);
        if (Sums::of(here.weight) > 0) add(start, step(here, start));
      }
    const double middle = settle(start, kRough);
    if (kClearly * middle < 1) {
      Unknowns nothing{};
      if (settle(nothing, kRough) > kClearly * middle) start = nothing;
    }
    FrameFit out;
    out.agreement = settle(start, kDone);
    out.stops = start[0];
    std::copy(start.begin() + 1, start.end(), out.amounts.begin());
    return out;
  }

 private:
  // Least squares about the present fit: in lanes, so that the compiler makes vectors of them.
  struct Sums {
    static constexpr std::size_t kLanes = 8;
    float weight[kLanes] = {}, side[kMostUnknowns][kLanes] = {},
          normal[kMostUnknowns][kMostUnknowns][kLanes] = {};
    static double of(const float* lanes) {
      double all = 0;
      for (std::size_t l = 0; l < kLanes; ++l) all += lanes[l];
      return all;
    }
  };

  const float* shape(int unknown, std::size_t k) const {
    return shapes_[static_cast<std::size_t>(unknown) - 1].data() + k;
  }

  // wide: of the reach of the cells.
  Sums sums(const Unknowns& at, float wide) const {
    constexpr std::size_t kLanes = Sums::kLanes;
    Sums out;
    float fit[kMostUnknowns];
    for (int d = 0; d < unknowns_; ++d) fit[d] = static_cast<float>(at[d]);
    for (std::size_t k = 0; k < beyond_.size(); k += kLanes) {
      float off[kLanes], w[kLanes];
      for (std::size_t l = 0; l < kLanes; ++l) off[l] = beyond_[k + l] - fit[0];
      for (int d = 1; d < unknowns_; ++d)
        for (std::size_t l = 0; l < kLanes; ++l) off[l] -= fit[d] * shape(d, k)[l];
      for (std::size_t l = 0; l < kLanes; ++l) {
        const float u = off[l] * per_[k + l] / wide, left = std::max(0.0f, 1 - u * u);
        w[l] = weight_[k + l] * left * left;
        out.weight[l] += w[l];
        out.side[0][l] += w[l] * off[l];
      }
      for (int d = 1; d < unknowns_; ++d) {
        float ws[kLanes];
        for (std::size_t l = 0; l < kLanes; ++l) {
          ws[l] = w[l] * shape(d, k)[l];
          out.side[d][l] += ws[l] * off[l];
          out.normal[d][0][l] += ws[l];
        }
        for (int e = 1; e <= d; ++e)
          for (std::size_t l = 0; l < kLanes; ++l) out.normal[d][e][l] += ws[l] * shape(e, k)[l];
      }
    }
    return out;
  }

  // Where the sums lead from the present fit.
  Unknowns step(const Sums& sums, const Unknowns& at) const {
    const double weight = Sums::of(sums.weight);
    Unknowns out{};
    if (unknowns_ == 1) {
      out[0] = Sums::of(sums.side[0]) / weight;
      return out;
    }
    // Where hardly a cell says how much there is of a shape, there is little of it.
    const double little = 1e-4 * weight;
    BandedSystem system(unknowns_, unknowns_ - 1);
    std::vector<double> right;
    for (int d = 0; d < unknowns_; ++d) {
      for (int e = 0; e <= d; ++e) system.add(d, e, d == 0 ? weight : Sums::of(sums.normal[d][e]));
      if (d > 0) system.add(d, d, little);
      right.push_back(Sums::of(sums.side[d]) - (d > 0 ? little * at[d] : 0));
    }
    system.factor();
    system.solve(right);
    std::ranges::copy(right, out.begin());
    return out;
  }

  static void add(Unknowns& to, const Unknowns& step) {
    for (std::size_t d = 0; d < to.size(); ++d) to[d] += step[d];
  }

  // Goes on from a fit until it moves no more than `done`; the share of the weight that agrees.
  double settle(Unknowns& at, double done) const {
    constexpr int kRounds = 12;
    double agreement = 0;
    for (int round = 0; round < kRounds; ++round) {
      const Sums here = sums(at, 1);
      const double weight = Sums::of(here.weight);
      if (weight <= 0) break;
      agreement = weight / all_;
      const Unknowns move = step(here, at);
      add(at, move);
      if (std::ranges::all_of(move, [&](double v) { return std::fabs(v) < done; })) break;
    }
    return agreement;
  }

  const ShapesAtCells& shapes_;
  int unknowns_;
  std::vector<float> beyond_, weight_, per_;  // 0 where a cell is not known
  std::vector<float> sorted_;
  double all_ = 0;
};

}  // namespace

void FrameFit::common(const ShapesAtCells& shapes, std::size_t row, float* out) const {
  std::fill_n(out, row, stops == stops ? static_cast<float>(stops) : 0.0f);
  for (std::size_t s = 0; s < shapes.size(); ++s)
    for (std::size_t k = 0; k < row; ++k) out[k] += static_cast<float>(amounts[s]) * shapes[s][k];
}

FrameFit fit_frame(const CellCourses& cells, int frame, const ShapesAtCells& shapes) {
  return CellsOfFrame(cells, frame, shapes).best();
}

std::vector<FrameFit> fit_frames(const CellCourses& cells, const ShapesAtCells& shapes) {
  std::vector<FrameFit> out(static_cast<std::size_t>(cells.frames()));
  parallel_ranges(cells.frames(), 8, [&](int first, int last) {
    for (int f = first; f < last; ++f) out[f] = fit_frame(cells, f, shapes);
  });
  return out;
}

std::vector<float> at_cells(const CellCourses& cells, const GainField& field) {
  std::vector<float> out(cells.row(), 0.0f);
  for (int k = 0; k < cells.count(); ++k) out[k] = mean_in_cell(field, cells.cell(k));
  return out;
}

}  // namespace tsukimi
