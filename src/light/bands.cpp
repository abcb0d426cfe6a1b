// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/bands.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "base/median.h"
#include "base/parallel.h"
#include "light/uneven.h"

namespace tsukimi {
namespace {

// What the lines of cells that run across a wave have in common, frame by frame.
struct Lines {
  int count = 0, frames = 0;
  std::vector<double> weight;  // of each line
  std::vector<double> means;   // stops, frame by frame
  const double* frame(int f) const { return means.data() + static_cast<std::size_t>(f) * count; }
};

Lines lines_of(const CellCourses& cells, bool across) {
  Lines out;
  out.count = across ? CellLight::kAcross : CellLight::kDown;
  out.frames = cells.frames();
  std::vector<int> line_of;  // of each cell
  for (int k = 0; k < cells.count(); ++k)
    line_of.push_back(across ? cells.cell(k) % CellLight::kAcross
                             : cells.cell(k) / CellLight::kAcross);
  std::vector<double> steady(out.count, 0.0);
  for (int k = 0; k < cells.count(); ++k) steady[line_of[k]] += cells.steady(k);
  // No line is better known than to a thousandth of a stop: the steadiest are not to say it all.
  constexpr double kFinest = 0.001;
  for (double s : steady) out.weight.push_back(s > 0 ? 1 / (1 / s + kFinest * kFinest) : 0);
  out.means.assign(static_cast<std::size_t>(out.frames) * out.count, 0.0);
  parallel_ranges(out.frames, 16, [&](int first, int last) {
    std::vector<double> sum, all;
    for (int f = first; f < last; ++f) {
      sum.assign(out.count, 0.0), all.assign(out.count, 0.0);
      for (int k = 0; k < cells.count(); ++k) {
        if (!cells.known(f, k)) continue;
        const int line = line_of[k];
        sum[line] += static_cast<double>(cells.steady(k)) * cells.beyond(f, k);
        all[line] += cells.steady(k);
      }
      for (int l = 0; l < out.count; ++l)
        if (all[l] > 0) out.means[static_cast<std::size_t>(f) * out.count + l] = sum[l] / all[l];
    }
  });
  return out;
}

// One number of cycles tried on every so many frames: a constant, a sine and a cosine by least
// squares.
struct Tried {
  double explained = 0;  // 0..1 of what the lines differ by: of the frame in the middle
  std::vector<std::complex<double>> waves;  // of each of them: its cosine and sine, stops
};

Tried try_cycles(const Lines& lines, double cycles, int every) {
  const int n = lines.count;
  std::vector<double> sine(n), cosine(n);
  for (int l = 0; l < n; ++l) {
    const double angle = 2 * std::numbers::pi * cycles * (l + 0.5) / n;
    sine[l] = std::sin(angle), cosine[l] = std::cos(angle);
  }
  BandedSystem normal(3, 2);
  for (int l = 0; l < n; ++l) {
    const double c[3] = {1, sine[l], cosine[l]};
    for (int i = 0; i < 3; ++i)
      for (int j = 0; j <= i; ++j) normal.add(i, j, lines.weight[l] * c[i] * c[j]);
  }
  for (int i = 0; i < 3; ++i) normal.add(i, i, 1e-9);
  normal.factor();
  Tried out;
  std::vector<double> shares;
  for (int f = 0; f < lines.frames; f += every) {
    double right[3] = {}, squares = 0, weight = 0;
    for (int l = 0; l < n; ++l) {
      const double w = lines.weight[l], v = lines.frame(f)[l];
      right[0] += w * v, right[1] += w * v * sine[l], right[2] += w * v * cosine[l];
      squares += w * v * v, weight += w;
    }
    double fit[3] = {right[0], right[1], right[2]};
    normal.solve(fit);
    const double mean = weight > 0 ? right[0] * right[0] / weight : 0, all = squares - mean;
    const double got = fit[0] * right[0] + fit[1] * right[1] + fit[2] * right[2] - mean;
    shares.push_back(all > 0 ? got / all : 0);
    out.waves.emplace_back(fit[2], fit[1]);
  }
  out.explained = median(std::move(shares));
  return out;
}

// Bands come at any phase and another in each frame. A pattern that stands, or shadows that drift,
// can look like a wave in single frames.
bool comes_at_any_phase(const std::vector<std::complex<double>>& waves) {
  constexpr double kRounder = 0.2, kMostAlike = 0.4;
  double power = 0;
  std::complex<double> square = 0, next = 0;
  for (std::size_t f = 0; f < waves.size(); ++f) {
    power += std::norm(waves[f]);
    square += waves[f] * waves[f];  // as long as the power where all lie on one line
    if (f > 0) next += waves[f] * std::conj(waves[f - 1]);
  }
  const double line = std::abs(square);
  return power - line > kRounder * (power + line) && std::abs(next) < kMostAlike * power;
}

}  // namespace

std::optional<GainField::Wave> find_bands(const CellCourses& cells, bool eager) {
  // Fewer cycles over the frame are a part of it that flickers; more are narrower than cells.
  constexpr double kFewest = 1, kMost = 10, kStep = 0.1, kFine = 0.01;
  constexpr double kExplained = 0.3;
  // Of so many frames the middle one is known to a few per cent; the wave found is tried on all.
  constexpr int kEnough = 400;
  const int every = std::max(1, cells.frames() / kEnough);
  std::optional<GainField::Wave> best;
  double most = kExplained;
  for (const bool across : {false, true}) {
    const Lines lines = lines_of(cells, across);
    auto look = [&](double from, double to, double step) {
      const int count = static_cast<int>(std::lround((to - from) / step)) + 1;
      std::vector<double> explained(count);
      parallel_ranges(count, 1, [&](int first, int last) {
        for (int i = first; i < last; ++i)
          explained[i] = try_cycles(lines, from + step * i, every).explained;
      });
      const auto at = std::max_element(explained.begin(), explained.end());
      return std::pair{from + step * static_cast<double>(at - explained.begin()), *at};
    };
    const double near = look(kFewest, kMost, kStep).first;
    const auto [cycles, share] = look(std::max(kFewest, near - kStep), near + kStep, kFine);
    if (share <= most) continue;
    const Tried tried = try_cycles(lines, cycles, 1);
    std::vector<double> sizes;
    for (const auto& wave : tried.waves) sizes.push_back(std::abs(wave));
    const double size = median(std::move(sizes)) / std::numbers::sqrt2;  // RMS over the frame
    if (!eager && (size < kLeastFlicker || !comes_at_any_phase(tried.waves))) continue;
    most = share;
    best = GainField::Wave{across, cycles, 0, 0};
  }
  return best;
}

}  // namespace tsukimi
