// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "light/flicker.h"

namespace tsukimi {
namespace {

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
  Neighbours out{median(lines), 1e9};
  for (double v : lines)
    if (std::fabs(m[i] - v) < std::fabs(out.departure)) out.departure = m[i] - v;
  return out;
}

// Flat up to four sigma: what merely flickers counts in full, so that a goal through it is no
// rougher than it must be.
double weight_at(double sigmas) {
  constexpr double kWhole = 4, kNone = 7;
  return std::clamp((kNone - sigmas) / (kNone - kWhole), 0.0, 1.0);
}

}  // namespace

Isolated isolated_frames(const std::vector<double>& axis, const std::vector<double>& values) {
  constexpr double kLeastSpread = 0.005;  // stops
  const std::size_t n = values.size();
  Isolated out{std::vector<double>(n, 0.0), values};
  std::vector<int> known;
  for (std::size_t i = 0; i < n; ++i)
    if (!std::isnan(values[i])) known.push_back(static_cast<int>(i));
  std::vector<int> clean = known;
  std::vector<double> departure(n, 0.0);
  // Twice: a frame that stands apart says nothing of those beside it.
  for (int pass = 0; pass < 2; ++pass) {
    std::vector<double> magnitude;
    for (int i : known) {
      const Neighbours near = neighbours_of(i, clean, axis, values);
      out.expected[static_cast<std::size_t>(i)] = near.expected;
      departure[static_cast<std::size_t>(i)] = near.departure;
      magnitude.push_back(std::fabs(near.departure));
    }
    const double sigma = std::max(kLeastSpread, kSigmaPerMad * median_element(magnitude));
    for (int i : known)
      out.weight[static_cast<std::size_t>(i)] =
          weight_at(std::fabs(departure[static_cast<std::size_t>(i)]) / sigma);
    std::erase_if(clean, [&](int i) { return out.weight[static_cast<std::size_t>(i)] == 0; });
  }
  return out;
}

}  // namespace tsukimi
