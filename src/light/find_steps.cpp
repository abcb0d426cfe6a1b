// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/find_steps.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "base/parallel.h"

namespace tsukimi {
namespace {

constexpr double kThird = 1.0 / 3;
constexpr int kLargest = 9;  // thirds: of one step
constexpr int kBeam = 48;    // ways that are followed at once
// The price of a step, as a negative logarithm of its probability: of the usual third, of others.
constexpr double kPrice = 3, kPriceOfOthers = 6;
constexpr double kMostApart = 14;    // the cost of a frame that does not fit: it stands alone
constexpr double kSlopeWalk = 4e-3;  // stops per interval, that the slope changes by in one
constexpr double kLightWalk = 4e-3;  // stops, that light departs from its slope in one

// Light and its slope as known so far, with their covariance.
struct Light2 {
  double level = 0, slope = 0;
  double ll = 1, ls = 0, ss = 0.01;

  void go_on(double intervals) {
    level += slope * intervals;
    ll += intervals * (2 * ls + intervals * ss) + kLightWalk * kLightWalk * intervals;
    ls += intervals * ss;
    ss += kSlopeWalk * kSlopeWalk * intervals;
  }
  // Takes in what is seen, whose variance is `noise`; the cost of it, and whether it fits.
  std::pair<double, bool> see(double value, double noise) {
    const double variance = ll + noise, off = value - level, apart = 0.5 * off * off / variance;
    if (apart > kMostApart) return {kMostApart + 0.5 * std::log(noise), false};
    const double to_level = ll / variance, to_slope = ls / variance;
    level += to_level * off, slope += to_slope * off;
    ss -= to_slope * ls, ls -= to_level * ls, ll -= to_level * ll;
    return {apart + 0.5 * std::log(variance), true};
  }
};

// One way to put the steps; its own last step leads to the ones before.
struct Way {
  Light2 light;
  double cost = 0;
  int thirds = 0, last_step = -1;  // last_step: in the list of steps; -1: none
  bool steps_now = false;
};

double price_of(int thirds) {
  return thirds == 0 ? 0 : std::abs(thirds) == 1 ? kPrice : kPriceOfOthers;
}

struct Step {
  int frame, thirds, before;  // thirds: from here on
};

// Of ways that stand alike now only the cheapest can win.
std::vector<Way> cheapest(std::vector<Way>& ways, double sigma) {
  std::ranges::sort(ways, {}, &Way::cost);
  std::vector<Way> out;
  for (const Way& way : ways) {
    const bool same = std::ranges::any_of(out, [&](const Way& w) {
      return w.thirds == way.thirds && std::fabs(w.light.slope - way.light.slope) < 1e-3 &&
             std::fabs(w.light.level - way.light.level) < sigma / 4;
    });
    if (!same) out.push_back(way);
    if (out.size() == kBeam) break;
  }
  return out;
}

struct Found {
  std::vector<double> stair;
  double cost = 0;
};

// Under noise of so many stops from frame to frame.
Found find_under(double sigma, const std::vector<double>& axis,
                 const std::vector<double>& brightness) {
  const int n = static_cast<int>(brightness.size());
  const double noise = sigma * sigma;
  std::vector<Step> steps;
  std::vector<Way> ways{Way{}}, next;
  int before = -1;
  for (int i = 0; i < n; ++i) {
    if (std::isnan(brightness[i])) continue;
    if (before < 0) ways[0].light.level = brightness[i];
    next.clear();
    for (const Way& way : ways) {
      Way here = way;
      if (before >= 0) here.light.go_on(std::max(axis[i] - axis[before], 1e-3));
      for (int step = -kLargest; step <= kLargest; ++step) {
        if (step != 0 && before < 0) continue;
        Way one = here;
        one.thirds += step;
        const auto [cost, fits] = one.light.see(brightness[i] - kThird * one.thirds, noise);
        // A frame that does not fit is no reason to begin a step.
        if (step != 0 && !fits) continue;
        one.cost += cost + price_of(step);
        one.steps_now = step != 0;
        next.push_back(one);
      }
    }
    ways = cheapest(next, sigma);
    for (Way& way : ways)
      if (way.steps_now) {
        steps.push_back({i, way.thirds, way.last_step});
        way.last_step = static_cast<int>(steps.size()) - 1;
      }
    before = i;
  }
  Found out{std::vector<double>(brightness.size(), 0.0), ways.front().cost};
  for (int s = ways.front().last_step, end = n; s >= 0; s = steps[s].before) {
    std::fill(out.stair.begin() + steps[s].frame, out.stair.begin() + end,
              kThird * steps[s].thirds);
    end = steps[s].frame;
  }
  return out;
}

}  // namespace

std::vector<double> find_steps(const std::vector<double>& axis,
                               const std::vector<double>& brightness) {
  // Nobody knows the noise before the steps: of several the likeliest.
  constexpr int kTried = 7;
  constexpr double kLeast = 0.006, kNext = 1.6;  // stops; times as much
  std::vector<Found> found(kTried);
  parallel_ranges(kTried, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k)
      found[k] = find_under(kLeast * std::pow(kNext, k), axis, brightness);
  });
  return std::ranges::min(found, {}, &Found::cost).stair;
}

}  // namespace tsukimi
