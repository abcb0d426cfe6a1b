#include "light/deflicker.h"

#include <algorithm>
#include <cmath>

#include "light/banded.h"

namespace tsukimi {
namespace {

// RMS of (values - their smooth course) in percent of light. Frames the robust weights left out are
// single events, not flicker, and do not count.
double flicker_percent(const std::vector<double>& high_passed, const std::vector<double>& w) {
  double sum = 0, weight = 0;
  for (std::size_t i = 0; i < high_passed.size(); ++i)
    if (w[i] > 0) {
      const double percent = 100 * (std::exp2(high_passed[i]) - 1);
      sum += percent * percent;
      weight += 1;
    }
  return weight > 0 ? std::sqrt(sum / weight) : 0;
}

}  // namespace

DeflickerResult deflicker(const std::vector<double>& axis, const std::vector<double>& brightness,
                          const DeflickerSettings& settings) {
  const std::size_t n = brightness.size();
  DeflickerResult r;
  r.correction.assign(n, 0.0);
  std::vector<double> m(n, 0.0), given(n, 0.0), residual(n, 0.0);
  for (std::size_t i = 0; i < n; ++i)
    if (!std::isnan(brightness[i])) m[i] = brightness[i], given[i] = 1;
  std::vector<double> w = given;
  const double lambda = lambda_for_period(settings.period);
  for (int round = 0; round < 8; ++round) {
    r.goal = whittaker(m, w, lambda, axis);
    for (std::size_t i = 0; i < n; ++i) residual[i] = m[i] - r.goal[i];
    tukey_weights(residual, given, w, 0.005);
  }
  r.before_percent = flicker_percent(residual, w);
  r.after_percent = r.before_percent;
  if (!settings.on) return r;
  std::vector<double> after(n, 0.0);
  for (std::size_t i = 0; i < n; ++i) {
    if (given[i] == 0) continue;
    r.correction[i] = std::clamp(r.goal[i] - m[i], -settings.limit, settings.limit);
    if (std::fabs(r.goal[i] - m[i]) > settings.limit) r.limited.push_back(static_cast<int>(i));
    if (std::fabs(r.correction[i]) > r.largest_correction) {
      r.largest_correction = std::fabs(r.correction[i]);
      r.largest_at = static_cast<int>(i);
    }
    after[i] = m[i] + r.correction[i] - r.goal[i];
  }
  // What is left against the goal made anew from the corrected course.
  std::vector<double> corrected(n);
  for (std::size_t i = 0; i < n; ++i) corrected[i] = m[i] + r.correction[i];
  const std::vector<double> again = whittaker(corrected, w, lambda, axis);
  for (std::size_t i = 0; i < n; ++i) after[i] = corrected[i] - again[i];
  r.after_percent = flicker_percent(after, w);
  return r;
}

}  // namespace tsukimi
