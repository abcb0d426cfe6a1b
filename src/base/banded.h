// SPDX-License-Identifier: GPL-3.0-or-later
// Symmetric positive definite systems with a narrow band, by Cholesky (Golub & Van Loan, ch. 4.3).
#pragma once

#include <span>
#include <vector>

namespace tsukimi {

class BandedSystem {
 public:
  BandedSystem(int size, int bandwidth);
  // Adds v to element (i, j) and its mirror; |i - j| <= bandwidth.
  void add(int i, int j, double v);
  // Adds lambda * sum of squared second (divided) differences of the unknowns, Whittaker's
  // smoothness. axis: where each unknown stands, ascending; spacing 1 is the plain second
  // difference.
  void add_second_differences(double lambda, std::span<const double> axis);
  void factor();                            // once, after all adds
  void solve(std::span<double> rhs) const;  // in place
  // kLanes right hand sides at once, side by side for each unknown: in the same way, faster.
  static constexpr int kLanes = 16;
  void solve_lanes(std::span<double> rhs) const;

 private:
  int n_, p_;
  std::vector<double> band_;  // band_[i * (p + 1) + d] is element (i, i - d)
};

// Smooth goal through m: minimises sum w (m - g)^2 + lambda sum (second difference of g)^2
// (Whittaker 1923; Eilers, "A perfect smoother", Anal. Chem. 75, 2003).
// axis: place of each value in frames of even spacing; a gap in time does not bend the goal.
std::vector<double> whittaker(std::span<const double> m, std::span<const double> w, double lambda,
                              std::span<const double> axis);

// The lambda whose half-amplitude point lies at a period of `frames`.
double lambda_for_period(double frames);

// Tukey's biweight of residuals r against a robust scale: 1 in the middle, 0 beyond 4.685 sigma.
// Entries with weight 0 in `given` stay out. Returns the scale (1.4826 MAD, at least `least`).
double tukey_weights(std::span<const double> r, std::span<const double> given,
                     std::span<double> out, double least);

}  // namespace tsukimi
