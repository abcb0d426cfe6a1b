// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/parts.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/median.h"
#include "base/parallel.h"
#include "light/series_fit.h"
#include "light/uneven.h"

namespace tsukimi {
namespace {

// The coefficients of all frames, each scaled so that its size is the RMS it has over the picture;
// the factor of the whole frame is none of them.
std::vector<Series> coefficients(const CellCourses& cells, const std::vector<FrameFit>& fits,
                                 const ShapesAtCells& known, const SeriesFit& series) {
  std::vector<Series> out(fits.size());
  parallel_ranges(cells.frames(), 16, [&](int first, int last) {
    std::vector<float> left(cells.row());
    for (int f = first; f < last; ++f) {
      fits[f].common(known, cells.row(), left.data());
      for (int k = 0; k < cells.count(); ++k)
        left[k] = cells.known(f, k) ? cells.beyond(f, k) - left[k] : 0;
      out[f] = series.of(left);
      out[f][0] = 0;
      for (int c = 1; c < kCoefficients; ++c) out[f][c] *= std::sqrt(norm_of(c));
    }
  });
  return out;
}

// Lone frames are no flicker: cut off.
std::vector<Series> without_lone(std::vector<Series> frames) {
  constexpr double kLone = 3;  // robust sigmas
  for (int c = 1; c < kCoefficients; ++c) {
    std::vector<double> sizes;
    for (const Series& one : frames) sizes.push_back(std::fabs(one[c]));
    const double most = kLone * kSigmaPerMad * median(std::move(sizes));
    for (Series& one : frames) one[c] = std::clamp(one[c], -most, most);
  }
  return frames;
}

// What every frame has beyond those beside it, of the size that independent values have
// themselves: a drifting sky changes less in it than flicker does.
std::vector<Series> apart(const std::vector<Series>& frames) {
  std::vector<Series> out;
  for (std::size_t f = 1; f + 1 < frames.size(); ++f) {
    out.emplace_back();
    for (int c = 0; c < kCoefficients; ++c)
      out.back()[c] = (frames[f][c] - 0.5 * (frames[f - 1][c] + frames[f + 1][c])) / std::sqrt(1.5);
  }
  return out;
}

// The directions in which the frames differ most, the strongest first, and their powers: by
// iterating on a few of them together (Golub & Van Loan, ch. 8.2).
struct Mode {
  Series direction{};
  double power = 0;  // stops^2 over the picture
};
std::vector<Mode> strongest(const std::vector<Series>& frames) {
  constexpr int kModes = 6, kRounds = 60;
  std::array<Series, kCoefficients> covariance{};
  for (const Series& one : frames)
    for (int c = 0; c < kCoefficients; ++c)
      for (int d = 0; d < kCoefficients; ++d)
        covariance[c][d] += one[c] * one[d] / static_cast<double>(frames.size());
  std::vector<Mode> out(kModes);
  for (int m = 0; m < kModes; ++m)
    for (int c = 1; c < kCoefficients; ++c) out[m].direction[c] = std::cos(c * (m + 1));
  for (int round = 0; round < kRounds; ++round)
    for (int m = 0; m < kModes; ++m) {
      Series next;
      for (int c = 0; c < kCoefficients; ++c) next[c] = product(covariance[c], out[m].direction);
      out[m].power = product(next, out[m].direction);
      for (int before = 0; before < m; ++before) {
        const Series& stronger = out[before].direction;
        const double share = product(next, stronger);
        for (int c = 0; c < kCoefficients; ++c) next[c] -= share * stronger[c];
      }
      const double length = std::sqrt(product(next, next));
      if (length > 0)
        for (double& v : next) v /= length;
      out[m].direction = next;
    }
  return out;
}

// How alike the amounts of a mode are to those of the frame before, -1..1.
double alike(const std::vector<Series>& frames, const Mode& mode) {
  double square = 0, next = 0, before = 0;
  for (const Series& one : frames) {
    const double here = product(one, mode.direction);
    square += here * here;
    next += here * before;
    before = here;
  }
  return square > 0 ? next / square : 0;
}

// What the middle of three frames has beyond the others: a drifting sky changes less in it than
// flicker does.
std::vector<double> departures(const std::vector<double>& course) {
  std::vector<double> out(course.size(), std::numeric_limits<double>::quiet_NaN());
  for (std::size_t f = 1; f + 1 < course.size(); ++f)
    out[f] = course[f] - 0.5 * (course[f - 1] + course[f + 1]);
  return out;
}

// Patterns as the cells say them, each over all frames: so a drifting sky tells what of it follows
// the amounts, though in one frame it tells nothing. fits: with `known` and the parts.
class Patterns {
 public:
  Patterns(const CellCourses& cells, const std::vector<FrameFit>& fits, const ShapesAtCells& known,
           int parts)
      : cells_(cells), fits_(fits), known_(known), parts_(parts) {
    for (int i = 0; i < parts; ++i) {
      std::vector<double> amounts;
      for (const FrameFit& fit : fits) amounts.push_back(fit.amounts[known.size() + i]);
      amounts_.push_back(departures(amounts));
    }
  }

  struct Fitted {
    GainField field;
    double smooth = 0;  // 0..1: the share of what the cells say that is in the field
  };

  std::vector<Fitted> fitted() const {
    std::vector<std::vector<float>> at(parts_, std::vector<float>(cells_.row(), 0.0f));
    std::vector<double> weights(cells_.count());
    parallel_ranges(cells_.count(), 16, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        const auto [values, variance] = of_cell(k);
        for (int i = 0; i < parts_; ++i) at[i][k] = static_cast<float>(values[i]);
        weights[k] = 1 / variance;
      }
    });
    // A coefficient's share of a pattern of RMS 1: small, so that nothing is made up where no cell
    // says anything (a sky that is clipped).
    constexpr double kSize = 0.05;
    const SeriesFit series(cells_.cells(), weights, kSize);
    std::vector<Fitted> out;
    for (const auto& values : at) {
      const Series fit = series.of(values);
      const GainField field{kPartAcross, kPartDown, {fit.begin(), fit.end()}, {}};
      out.push_back({field, smooth_share(values, at_cells(cells_, field), weights)});
    }
    return out;
  }

 private:
  static double smooth_share(const std::vector<float>& values, const std::vector<float>& fit,
                             const std::vector<double>& weights) {
    double weight = 0, sum = 0, squares = 0, off = 0;
    for (std::size_t k = 0; k < weights.size(); ++k) {
      const double v = values[k], apart = v - fit[k];
      weight += weights[k], sum += weights[k] * v, squares += weights[k] * v * v;
      off += weights[k] * apart * apart;
    }
    const double all = squares - sum * sum / weight;
    return all > 0 ? 1 - off / all : 0;
  }

  // What nothing known explains of a cell, as departures; NaN where a frame does not know it.
  std::vector<double> unexplained(int k) const {
    std::vector<double> left;
    for (int f = 0; f < cells_.frames(); ++f) {
      double v = cells_.beyond(f, k) - fits_[f].stops;
      for (std::size_t s = 0; s < known_.size(); ++s) v -= fits_[f].amounts[s] * known_[s][k];
      left.push_back(cells_.known(f, k) ? v : std::numeric_limits<double>::quiet_NaN());
    }
    return departures(left);
  }

  // Least squares over the frames, then once more without what stands apart: the patterns' values,
  // and how uncertain they are.
  std::pair<std::vector<double>, double> of_cell(int k) const {
    constexpr double kApart = 3;       // robust sigmas
    constexpr double kTogether = 9;    // cells: those side by side have the same clouds
    constexpr double kFinest = 0.002;  // stops
    const std::vector<double> left = unexplained(k);
    BandedSystem normal(parts_, parts_ - 1);
    for (int i = 0; i < parts_; ++i) {
      normal.add(i, i, 1e-9);
      for (int j = 0; j <= i; ++j)
        for (std::size_t f = 1; f + 1 < left.size(); ++f)
          if (!std::isnan(left[f])) normal.add(i, j, amounts_[i][f] * amounts_[j][f]);
    }
    normal.factor();
    std::vector<double> values(parts_, 0.0);
    double scatter = 0;
    for (int round = 0; round < 2; ++round) {
      std::vector<double> next(parts_, 0.0), off;
      for (std::size_t f = 1; f + 1 < left.size(); ++f) {
        if (std::isnan(left[f])) continue;
        double expected = 0, seen = left[f];
        for (int i = 0; i < parts_; ++i) expected += values[i] * amounts_[i][f];
        if (round > 0)
          seen = expected + std::clamp(seen - expected, -kApart * scatter, kApart * scatter);
        off.push_back(std::fabs(seen - expected));
        for (int i = 0; i < parts_; ++i) next[i] += seen * amounts_[i][f];
      }
      normal.solve(next);
      values = next;
      scatter = std::max(kFinest, kSigmaPerMad * median(std::move(off)));
    }
    std::vector<double> unit(parts_, 0.0);
    unit[0] = 1;
    normal.solve(unit);
    return {values, kTogether * scatter * scatter * unit[0]};
  }

  const CellCourses& cells_;
  const std::vector<FrameFit>& fits_;
  const ShapesAtCells& known_;
  int parts_;
  std::vector<std::vector<double>> amounts_;  // departures of each part's
};

ShapesAtCells with(ShapesAtCells shapes, const CellCourses& cells,
                   const std::vector<GainField>& parts) {
  for (const GainField& part : parts) shapes.push_back(at_cells(cells, part));
  return shapes;
}

}  // namespace

std::vector<GainField> find_parts(const CellCourses& cells, const ShapesAtCells& known,
                                  bool eager) {
  constexpr std::size_t kMostParts = 3;
  constexpr int kRefine = 2;
  // Where the camera shook, cells change with it too, each in its own way.
  constexpr double kSmooth = 0.9;
  constexpr double kMostAlike = 0.4, kAboveNoise = 4;
  constexpr double kSize = 0.1;  // stops: what a pattern may have in a frame
  std::vector<double> steady;
  for (int k = 0; k < cells.count(); ++k) steady.push_back(cells.steady(k));
  const SeriesFit series(cells.cells(), steady, kSize);
  // The factor of the whole frame is in the series too.
  const auto explained =
      known.empty() ? std::vector<FrameFit>(cells.frames()) : fit_frames(cells, known);
  const auto frames = coefficients(cells, explained, known, series);
  std::vector<GainField> out;
  for (const Mode& mode : strongest(without_lone(apart(frames)))) {
    const double size = std::sqrt(std::max(mode.power, 0.0));
    if (out.size() == kMostParts || size < (eager ? kLeastFlicker / 4 : kLeastFlicker)) break;
    Series share;
    for (int c = 0; c < kCoefficients; ++c) share[c] = mode.direction[c] * std::sqrt(norm_of(c));
    if (mode.power < kAboveNoise * series.noise(share)) continue;
    if (!eager && alike(without_lone(frames), mode) > kMostAlike) continue;
    GainField part{kPartAcross, kPartDown, {}, {}};
    for (int c = 0; c < kCoefficients; ++c)
      part.coefficients.push_back(mode.direction[c] / std::sqrt(norm_of(c)));
    out.push_back(std::move(part));
  }
  for (int round = 0; round < kRefine && !out.empty(); ++round) {
    const auto fits = fit_frames(cells, with(known, cells, out));
    const auto fitted = Patterns(cells, fits, known, static_cast<int>(out.size())).fitted();
    out.clear();
    for (const auto& [field, smooth] : fitted)
      if (eager || smooth > kSmooth) out.push_back(field);
  }
  return out;
}

}  // namespace tsukimi
