// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/banded.h"

#include "base/median.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace tsukimi {

BandedSystem::BandedSystem(int size, int bandwidth)
    : n_(size), p_(bandwidth), band_(static_cast<std::size_t>(size) * (bandwidth + 1), 0.0) {}

void BandedSystem::add(int i, int j, double v) {
  if (i < j) std::swap(i, j);
  band_[static_cast<std::size_t>(i) * (p_ + 1) + (i - j)] += v;
}

void BandedSystem::add_second_differences(double lambda, std::span<const double> axis) {
  for (int i = 0; i + 2 < n_; ++i) {
    const double h1 = axis[i + 1] - axis[i], h2 = axis[i + 2] - axis[i + 1];
    const double d[3] = {2 / (h1 * (h1 + h2)), -2 / (h1 * h2), 2 / (h2 * (h1 + h2))};
    for (int a = 0; a < 3; ++a)
      for (int b = 0; b <= a; ++b) add(i + a, i + b, lambda * d[a] * d[b]);
  }
}

void BandedSystem::factor() {
  auto el = [&](int i, int j) -> double& {
    return band_[static_cast<std::size_t>(i) * (p_ + 1) + (i - j)];
  };
  for (int i = 0; i < n_; ++i)
    for (int j = std::max(0, i - p_); j <= i; ++j) {
      double sum = el(i, j);
      for (int k = std::max({0, i - p_, j - p_}); k < j; ++k) sum -= el(i, k) * el(j, k);
      el(i, j) = i == j ? std::sqrt(std::max(sum, 1e-12)) : sum / el(j, j);
    }
}

void BandedSystem::solve(std::span<double> x) const {
  auto el = [&](int i, int j) { return band_[static_cast<std::size_t>(i) * (p_ + 1) + (i - j)]; };
  for (int i = 0; i < n_; ++i) {
    for (int k = std::max(0, i - p_); k < i; ++k) x[i] -= el(i, k) * x[k];
    x[i] /= el(i, i);
  }
  for (int i = n_ - 1; i >= 0; --i) {
    for (int k = i + 1; k <= std::min(n_ - 1, i + p_); ++k) x[i] -= el(k, i) * x[k];
    x[i] /= el(i, i);
  }
}

void BandedSystem::solve_lanes(std::span<double> x) const {
  auto el = [&](int i, int j) { return band_[static_cast<std::size_t>(i) * (p_ + 1) + (i - j)]; };
  auto row = [&](int i) { return x.data() + static_cast<std::size_t>(i) * kLanes; };
  auto take = [&](double* to, const double* from, double by) {
    for (int l = 0; l < kLanes; ++l) to[l] -= by * from[l];
  };
  auto divide = [&](double* to, double by) {
    for (int l = 0; l < kLanes; ++l) to[l] /= by;
  };
  for (int i = 0; i < n_; ++i) {
    for (int k = std::max(0, i - p_); k < i; ++k) take(row(i), row(k), el(i, k));
    divide(row(i), el(i, i));
  }
  for (int i = n_ - 1; i >= 0; --i) {
    for (int k = i + 1; k <= std::min(n_ - 1, i + p_); ++k) take(row(i), row(k), el(k, i));
    divide(row(i), el(i, i));
  }
}

std::vector<double> whittaker(std::span<const double> m, std::span<const double> w, double lambda,
                              std::span<const double> axis) {
  const int n = static_cast<int>(m.size());
  BandedSystem system(n, 2);
  std::vector<double> g(n);
  for (int i = 0; i < n; ++i) {
    // A trace of weight everywhere keeps the system regular where whole stretches are left out.
    system.add(i, i, w[i] + 1e-9);
    g[i] = (w[i] + 1e-9) * m[i];
  }
  system.add_second_differences(lambda, axis);
  system.factor();
  system.solve(g);
  return g;
}

double lambda_for_period(double frames) {
  return std::pow(2 * std::sin(std::numbers::pi / std::max(frames, 2.0)), -4);
}

double tukey_weights(std::span<const double> r, std::span<const double> given,
                     std::span<double> out, double least) {
  std::vector<double> magnitude;
  for (std::size_t i = 0; i < r.size(); ++i)
    if (given[i] > 0) magnitude.push_back(std::fabs(r[i]));
  double scale = least;
  if (!magnitude.empty()) {
    std::nth_element(magnitude.begin(), magnitude.begin() + magnitude.size() / 2, magnitude.end());
    scale = std::max(least, kSigmaPerMad * magnitude[magnitude.size() / 2]);
  }
  for (std::size_t i = 0; i < r.size(); ++i) {
    const double u = r[i] / (4.685 * scale);
    out[i] = std::fabs(u) < 1 ? given[i] * (1 - u * u) * (1 - u * u) : 0;
  }
  return scale;
}

}  // namespace tsukimi
