// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/deflicker.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/banded.h"
#include "light/flicker.h"

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

// Where nearly all that is steady agrees, there is none. Where nearly nothing does (headlights over
// all of a frame, each part lit in its own way), no factor is that frame's: it stays as it is.
double limit_of(double agreement, double limit) {
  constexpr double kUnsure = 0.15;
  if (agreement >= kSure) return std::numeric_limits<double>::infinity();
  return agreement < kUnsure ? 0 : limit;
}

void find_largest(DeflickerResult& r) {
  r.largest_correction = 0;
  r.largest_at = -1;
  for (std::size_t i = 0; i < r.correction.size(); ++i)
    if (std::fabs(r.correction[i]) > r.largest_correction) {
      r.largest_correction = std::fabs(r.correction[i]);
      r.largest_at = static_cast<int>(i);
    }
}

}  // namespace

DeflickerResult deflicker(const std::vector<double>& axis, const std::vector<double>& brightness,
                          const DeflickerSettings& settings, const std::vector<double>& agreement) {
  const std::size_t n = brightness.size();
  DeflickerResult r;
  r.correction.assign(n, 0.0);
  std::vector<double> m(n, 0.0), given(n, 0.0), residual(n, 0.0);
  for (std::size_t i = 0; i < n; ++i)
    if (!std::isnan(brightness[i])) m[i] = brightness[i], given[i] = 1;
  // What stands apart counts as its neighbours do, so that a dip is as deep without it.
  const Isolated isolated = isolated_frames(axis, brightness);
  r.weight = isolated.weight;
  std::vector<double> calm(n, 0.0);
  for (std::size_t i = 0; i < n; ++i)
    if (given[i] > 0) calm[i] = isolated.expected[i] + r.weight[i] * (m[i] - isolated.expected[i]);
  r.goal = whittaker(calm, given, lambda_for_period(settings.period), axis);
  for (std::size_t i = 0; i < n; ++i) residual[i] = m[i] - r.goal[i];
  r.before_percent = flicker_percent(residual, r.weight);
  if (!settings.on) return r;
  const bool agreed = std::ranges::any_of(agreement, [](double share) { return share > 0; });
  for (std::size_t i = 0; i < n; ++i) {
    if (given[i] == 0) continue;
    const double wanted = r.goal[i] - m[i];
    const double limit = limit_of(agreed ? agreement[i] : 0.5, settings.limit);
    r.correction[i] = std::clamp(wanted, -limit, limit);
    if (r.correction[i] != wanted) r.limited.push_back(static_cast<int>(i));
  }
  find_largest(r);
  return r;
}

void hold_back(DeflickerResult& result, const std::vector<double>& agreement) {
  for (std::size_t i = 0; i < result.correction.size(); ++i)
    if (result.weight[i] > 0 || agreement[i] < kSure) result.correction[i] = 0;
  std::erase_if(result.limited,
                [&](int i) { return result.correction[static_cast<std::size_t>(i)] == 0; });
  result.held = true;
  find_largest(result);
}

}  // namespace tsukimi
