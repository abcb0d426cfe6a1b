// SPDX-License-Identifier: GPL-3.0-or-later
#include "adjust/interpolate.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

MonotoneCurve::MonotoneCurve(std::vector<double> xs, std::vector<double> ys,
                             std::vector<Easing> easing)
    : xs_(std::move(xs)),
      ys_(std::move(ys)),
      arriving_(xs_.size(), 0.0),
      leaving_(xs_.size(), 0.0),
      held_(xs_.size(), false) {
  const std::size_t n = xs_.size();
  if (n < 2) return;
  std::vector<double> secant(n - 1), width(n - 1);
  for (std::size_t i = 0; i + 1 < n; ++i) {
    width[i] = xs_[i + 1] - xs_[i];
    secant[i] = (ys_[i + 1] - ys_[i]) / width[i];
  }
  for (std::size_t i = 1; i + 1 < n; ++i) {
    if (secant[i - 1] * secant[i] <= 0) continue;  // a turning point is flat
    // Weighted harmonic mean (Fritsch & Butland 1984): lies in the monotone region of Fritsch &
    // Carlson.
    const double w1 = 2 * width[i] + width[i - 1], w2 = width[i] + 2 * width[i - 1];
    leaving_[i] = (w1 + w2) / (w1 / secant[i - 1] + w2 / secant[i]);
  }
  // Ends: three-point estimate, held inside the monotone region.
  auto end_slope = [](double s0, double s1, double h0, double h1) {
    const double d = ((2 * h0 + h1) * s0 - h0 * s1) / (h0 + h1);
    if (d * s0 <= 0) return 0.0;
    return std::fabs(d) > 3 * std::fabs(s0) ? 3 * s0 : d;
  };
  if (n == 2) {
    leaving_[0] = leaving_[1] = secant[0];
  } else {
    leaving_[0] = end_slope(secant[0], secant[1], width[0], width[1]);
    leaving_[n - 1] = end_slope(secant[n - 2], secant[n - 3], width[n - 2], width[n - 3]);
  }
  arriving_ = leaving_;
  for (std::size_t i = 0; i < easing.size(); ++i) {
    if (easing[i] == Easing::smooth) continue;
    const bool straight = easing[i] == Easing::straight;
    arriving_[i] = straight && i > 0 ? secant[i - 1] : 0;
    leaving_[i] = straight && i + 1 < n ? secant[i] : 0;
    held_[i] = easing[i] == Easing::hold;
  }
}

double MonotoneCurve::at(double x) const {
  if (xs_.empty()) return 0;
  if (x <= xs_.front()) return ys_.front();
  if (x >= xs_.back()) return ys_.back();
  const std::size_t i = std::upper_bound(xs_.begin(), xs_.end(), x) - xs_.begin() - 1;
  if (x == xs_[i] || held_[i]) return ys_[i];
  const double h = xs_[i + 1] - xs_[i], t = (x - xs_[i]) / h;
  const double t2 = t * t, t3 = t2 * t, rise = ys_[i + 1] - ys_[i];
  const double y = ys_[i] + (3 * t2 - 2 * t3) * rise +
                   h * ((t3 - 2 * t2 + t) * leaving_[i] + (t3 - t2) * arriving_[i + 1]);
  // Rounding must not overshoot either: values at the end of their range stay inside.
  return std::clamp(y, std::min(ys_[i], ys_[i + 1]), std::max(ys_[i], ys_[i + 1]));
}

}  // namespace tsukimi
