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

// Of each value its nearest neighbours' middle, two on each side: an isolated frame stands apart
// from it, a change that lasts does not, however deep it is.
static std::vector<double> neighbours_of(const std::vector<double>& m,
                                         const std::vector<double>& given) {
  std::vector<int> known;
  for (std::size_t i = 0; i < m.size(); ++i)
    if (given[i] > 0) known.push_back(static_cast<int>(i));
  std::vector<double> out = m;
  const int n = static_cast<int>(known.size());
  for (int k = 0; k < n; ++k) {
    std::vector<double> near;
    for (int j = std::max(0, k - 2); j <= std::min(n - 1, k + 2); ++j)
      if (j != k) near.push_back(m[known[j]]);
    if (near.empty()) continue;
    std::sort(near.begin(), near.end());
    const std::size_t h = near.size() / 2;
    out[known[k]] = near.size() % 2 ? near[h] : 0.5 * (near[h - 1] + near[h]);
  }
  return out;
}

DeflickerResult deflicker(const std::vector<double>& axis, const std::vector<double>& brightness,
                          const DeflickerSettings& settings) {
  const std::size_t n = brightness.size();
  DeflickerResult r;
  r.correction.assign(n, 0.0);
  std::vector<double> m(n, 0.0), given(n, 0.0), residual(n, 0.0);
  for (std::size_t i = 0; i < n; ++i)
    if (!std::isnan(brightness[i])) m[i] = brightness[i], given[i] = 1;
  r.weight = given;
  const std::vector<double> near = neighbours_of(m, given);
  for (std::size_t i = 0; i < n; ++i) residual[i] = m[i] - near[i];
  tukey_weights(residual, given, r.weight, 0.005);
  // What stands apart counts as its neighbours do, so that a dip is as deep without it.
  std::vector<double> calm(n);
  for (std::size_t i = 0; i < n; ++i) calm[i] = near[i] + r.weight[i] * (m[i] - near[i]);
  r.goal = whittaker(calm, given, lambda_for_period(settings.period), axis);
  for (std::size_t i = 0; i < n; ++i) residual[i] = m[i] - r.goal[i];
  r.before_percent = flicker_percent(residual, r.weight);
  if (!settings.on) return r;
  for (std::size_t i = 0; i < n; ++i) {
    if (given[i] == 0) continue;
    r.correction[i] = std::clamp(r.goal[i] - m[i], -settings.limit, settings.limit);
    if (std::fabs(r.goal[i] - m[i]) > settings.limit) r.limited.push_back(static_cast<int>(i));
    if (std::fabs(r.correction[i]) > r.largest_correction) {
      r.largest_correction = std::fabs(r.correction[i]);
      r.largest_at = static_cast<int>(i);
    }
  }
  return r;
}

}  // namespace tsukimi
