// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/bracket_runs.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {
namespace {

// The exposures of one bracket; empty where these shots are none.
Pattern bracket_at(const Shots& shots, std::size_t k, std::size_t period) {
  Pattern out = pattern_at(shots, k, period);
  return !out.empty() && range_of(out) > kLeastRange ? out : Pattern();
}

// Farther from the moment before than that it is another run, s. usual: from one to the next.
double too_far(double usual) { return 15 * usual + 30; }

// How many shots from k on are brackets of this period, all of one pattern.
std::size_t even_run(const Shots& shots, std::size_t k, std::size_t period) {
  const Pattern pattern = bracket_at(shots, k, period);
  if (pattern.empty()) return 0;
  std::size_t end = k + period;
  const double usual = end < shots.size() ? shots[end].time - shots[end - 1].time : 0;
  for (; alike(bracket_at(shots, end, period), pattern); end += period) {
    const double drift = exact_gain(shots[end]) - exact_gain(shots[end - period]);
    if (std::fabs(drift) > kMostDrift * range_of(pattern)) break;
    bool near = true;
    for (std::size_t at = end; at < end + period; ++at)
      near &= usual <= 0 || shots[at].time - shots[at - 1].time <= too_far(usual);
    if (!near) break;
  }
  return end - k;
}

// Brackets that pauses part, from k on: groups of shots go on while at least every third is a set
// like the first, and no pause is another run's. 0 where the first sets' pauses do not part them.
std::size_t parted_run(const Shots& shots, std::size_t k, std::size_t period) {
  double within = 0, between = 1e9;
  for (std::size_t at = k + 1; at < k + kFewestSets * period; ++at) {
    const double pause = pause_before(shots, at);
    if (std::isnan(pause)) return 0;
    if ((at - k) % period == 0)
      between = std::min(between, pause);
    else
      within = std::max(within, pause);
  }
  const double parting = between_pauses(within, between);
  if (parting <= 0) return 0;
  const Pattern pattern = bracket_at(shots, k, period);
  constexpr int kMostOthers = 2;  // groups in a row that are no such sets
  std::size_t end = k;
  int others = 0;
  for (std::size_t at = k; at < shots.size() && others <= kMostOthers;) {
    if (at > k && !(pause_before(shots, at) <= too_far(between))) break;
    std::size_t next = at + 1;
    while (next < shots.size() && pause_before(shots, next) <= parting) ++next;
    const bool like = next - at == period && alike(bracket_at(shots, at, period), pattern);
    others = like ? 0 : others + 1;
    // The last one may be cut short.
    if (like || (next == shots.size() && next - at < period)) end = next;
    at = next;
  }
  return end - k;
}

// Moments that lack a shot, or have one too many, part no brackets: where sets of the same number
// go on soon after. length: of the run from k on; its new length.
std::size_t with_irregular(const Shots& shots, std::size_t k, std::size_t length,
                           std::size_t period) {
  const double usual = shots[k + period].time - shots[k].time;
  const auto soon = [&](std::size_t at) {
    return usual <= 0 || shots[at].time - shots[at - 1].time < too_far(usual);
  };
  for (std::size_t end = k + length, j = end;
       j < shots.size() && j < end + 2 * period && soon(j);) {
    const std::size_t n = even_run(shots, j, period);
    // Fewer repeat by chance, out of step.
    j += n >= 2 * period ? n : 1;
    if (n >= 2 * period) end = j, length = end - k;
  }
  while (k + length < shots.size() && shots.size() - k - length < period && soon(k + length))
    ++length;
  return length;
}

}  // namespace

BracketRun bracket_run_at(const Shots& shots, std::size_t k) {
  BracketRun out;
  for (std::size_t p = 3; p <= kMostShots; ++p) {
    const std::size_t n = even_run(shots, k, p);
    if (n >= kFewestSets * p && n > out.length) out = {n, p};
  }
  if (out.length == 0) return out;
  const std::size_t parted = parted_run(shots, k, out.period);
  out.length = parted > 0 ? parted : with_irregular(shots, k, out.length, out.period);
  return out;
}

}  // namespace tsukimi
