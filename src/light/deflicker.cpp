// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/deflicker.h"

#include <algorithm>
#include <cmath>

#include "base/banded.h"

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

// What a frame's nearest neighbours, two on each side, say of it.
struct Neighbours {
  double expected, departure;
};

// The four lines from a neighbour before to one after give what is expected at the frame's time
// (their middle), and how far it stands from the nearest of them: an isolated frame is far from
// all, a change that lasts or a gap in time leave one that fits. known: frames that may be
// neighbours.
Neighbours neighbours_of(int i, const std::vector<int>& known, const std::vector<double>& axis,
                         const std::vector<double>& m) {
  const auto here = std::lower_bound(known.begin(), known.end(), i);
  std::vector<int> before, after;  // the nearest first
  constexpr std::size_t kMost = 4;
  for (auto it = here; it != known.begin() && before.size() < kMost;) before.push_back(*--it);
  for (auto it = here; it != known.end() && after.size() < kMost; ++it)
    if (*it != i) after.push_back(*it);
  std::vector<double> lines;
  auto line = [&](int f, int g) {
    lines.push_back(m[f] + (axis[i] - axis[f]) / (axis[g] - axis[f]) * (m[g] - m[f]));
  };
  const std::size_t nb = std::min<std::size_t>(before.size(), 2),
                    na = std::min<std::size_t>(after.size(), 2);
  for (std::size_t b = 0; b < nb; ++b)
    for (std::size_t a = 0; a < na; ++a) line(before[b], after[a]);
  // At the ends of the sequence both lie on the one side that there is.
  if (nb == 0)
    for (std::size_t a = 1; a < after.size(); ++a) line(after[0], after[a]);
  if (na == 0)
    for (std::size_t b = 1; b < before.size(); ++b) line(before[0], before[b]);
  if (lines.empty()) return {m[i], 0};
  std::sort(lines.begin(), lines.end());
  const std::size_t h = lines.size() / 2;
  Neighbours out{lines.size() % 2 ? lines[h] : 0.5 * (lines[h - 1] + lines[h]), 1e9};
  for (double v : lines)
    if (std::fabs(m[i] - v) < std::fabs(out.departure)) out.departure = m[i] - v;
  return out;
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
  r.weight = given;
  std::vector<int> known;
  for (std::size_t i = 0; i < n; ++i)
    if (given[i] > 0) known.push_back(static_cast<int>(i));
  std::vector<double> expected = m;
  std::vector<int> clean = known;
  // Twice: a frame that stands apart says nothing of those beside it.
  for (int pass = 0; pass < 2; ++pass) {
    for (int i : known) {
      const Neighbours near = neighbours_of(i, clean, axis, m);
      expected[i] = near.expected;
      residual[i] = near.departure;
    }
    tukey_weights(residual, given, r.weight, 0.005);
    std::erase_if(clean, [&](int i) { return r.weight[i] == 0; });
  }
  // What stands apart counts as its neighbours do, so that a dip is as deep without it.
  std::vector<double> calm(n);
  for (std::size_t i = 0; i < n; ++i) calm[i] = expected[i] + r.weight[i] * (m[i] - expected[i]);
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
