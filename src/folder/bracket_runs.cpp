// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/bracket_runs.h"

#include <algorithm>
#include <cmath>

#include "folder/moments.h"

namespace tsukimi {
namespace {

using Frames = std::vector<FrameInfo>;

// Do `period` frames from k form one bracket? Its exposures in stops against its first.
bool bracket_at(const Frames& frames, const std::vector<int>& run, std::size_t k,
                std::size_t period, std::vector<double>& offsets) {
  if (k + period > run.size()) return false;
  offsets.clear();
  double low = 0, high = 0;
  for (std::size_t j = 0; j < period; ++j) {
    const FrameInfo& f = frames[run[k + j]];
    if (!f.usable()) return false;
    offsets.push_back(exact_gain(f) - exact_gain(frames[run[k]]));
    low = std::min(low, offsets.back()), high = std::max(high, offsets.back());
  }
  return high - low > 0.9;
}

// How many frames from k on are brackets of this period, all of one pattern.
std::size_t bracket_run(const Frames& frames, const std::vector<int>& run, std::size_t k,
                        std::size_t period) {
  std::vector<double> pattern, here;
  if (!bracket_at(frames, run, k, period, pattern)) return 0;
  std::size_t end = k + period;
  while (bracket_at(frames, run, end, period, here)) {
    for (std::size_t j = 0; j < period; ++j)
      if (std::fabs(here[j] - pattern[j]) > 0.4) return end - k;
    // The first shot is about as the first was: a camera that follows the dusk does not come back.
    const auto [low, high] = std::minmax_element(pattern.begin(), pattern.end());
    if (std::fabs(exact_gain(frames[run[end]]) - exact_gain(frames[run[end - period]])) >
        0.6 * (*high - *low))
      return end - k;
    // One moment may not be far from the next: that is another run.
    const double apart = frames[run[end]].time - frames[run[end - 1]].time;
    const double usual = frames[run[k + period - 1]].time > 0 && k + period < run.size()
                             ? frames[run[k + period]].time - frames[run[k + period - 1]].time
                             : 0;
    if (usual > 0 && apart > 15 * usual + 30) return end - k;
    end += period;
  }
  return end - k;
}

// Brackets that pauses part, from k on: groups of shots go on while at least every third is a set
// like the first, and no pause is another run's. 0 where the first sets' pauses do not part them.
std::size_t parted_run(const Frames& frames, const std::vector<int>& run, std::size_t k,
                       std::size_t period) {
  const auto pause = [&](std::size_t at) {
    const FrameInfo& before = frames[run[at - 1]];
    return frames[run[at]].time - before.time - before.shutter;
  };
  double within = 0, between = 1e9;
  for (std::size_t at = k + 1; at < k + 3 * period; ++at)
    if ((at - k) % period == 0)
      between = std::min(between, pause(at));
    else
      within = std::max(within, pause(at));
  constexpr double kClock = 1, kClearly = 2.5;  // s that it may be off by; times as long
  if (between + kClock < kClearly * (within + kClock)) return 0;
  const double parting = std::sqrt((between + kClock) * (within + kClock)) - kClock;
  std::vector<double> pattern, here;
  bracket_at(frames, run, k, period, pattern);
  constexpr int kMostOthers = 2;  // groups in a row that are no such sets
  std::size_t end = k;
  int others = 0;
  for (std::size_t at = k; at < run.size() && others <= kMostOthers;) {
    if (at > k && pause(at) > 15 * between + 30) return end - k;
    std::size_t next = at + 1;
    while (next < run.size() && pause(next) <= parting) ++next;
    bool like = next - at == period && bracket_at(frames, run, at, period, here);
    for (std::size_t j = 0; like && j < period; ++j) like = std::fabs(here[j] - pattern[j]) <= 0.4;
    others = like ? 0 : others + 1;
    if (like || next - at < period) end = like || next == run.size() ? next : end;
    at = next;
  }
  return end - k;
}

// Moments that lack a shot, or have one too many, part no brackets: where sets of the same number
// go on soon after. length: of the run from k on; its new length.
std::size_t with_irregular(const Frames& frames, const std::vector<int>& run, std::size_t k,
                           std::size_t length, std::size_t period) {
  const double usual = frames[run[k + period]].time - frames[run[k]].time;
  const auto soon = [&](std::size_t at) {
    const double apart = frames[run[at]].time - frames[run[at - 1]].time;
    return usual <= 0 || apart < 15 * usual + 30;
  };
  for (std::size_t end = k + length, j = end; j < run.size() && j < end + 2 * period && soon(j);) {
    const std::size_t n = bracket_run(frames, run, j, period);
    j += std::max<std::size_t>(n, 1);
    if (n >= 2 * period) end = j, length = end - k;
  }
  // The last one may be cut short.
  while (k + length < run.size() && run.size() - k - length < period && soon(k + length)) ++length;
  return length;
}

}  // namespace

BracketRun bracket_run_at(const std::vector<FrameInfo>& frames, const std::vector<int>& run,
                          std::size_t k) {
  BracketRun out;
  for (std::size_t p = 3; p <= kMostShots; ++p) {
    const std::size_t n = bracket_run(frames, run, k, p);
    if (n >= 3 * p && n > out.length) out = {n, p};
  }
  if (out.length == 0) return out;
  const std::size_t parted = parted_run(frames, run, k, out.period);
  out.length = parted > 0 ? parted : with_irregular(frames, run, k, out.length, out.period);
  return out;
}

}  // namespace tsukimi
