// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/shot_groups.h"

#include <algorithm>
#include <cmath>

#include "camera/moment.h"

namespace tsukimi {

double range_of(const Pattern& p) {
  return *std::ranges::max_element(p) - *std::ranges::min_element(p);
}

Pattern pattern_at(const Shots& shots, std::size_t k, std::size_t size) {
  Pattern out;
  if (k + size > shots.size()) return out;
  for (std::size_t j = 0; j < size; ++j) {
    const double stops = stops_apart(shots[k + j], shots[k]);
    if (!shots[k + j].usable() || std::isnan(stops)) return {};
    out.push_back(stops);
  }
  return out;
}

bool alike(const Pattern& a, const Pattern& b) {
  if (a.size() != b.size() || a.empty()) return false;
  for (std::size_t j = 0; j < a.size(); ++j)
    if (std::fabs(a[j] - b[j]) > kAlikeStops) return false;
  return true;
}

namespace {

constexpr double kClock = 1;  // s that a clock of whole seconds may be off by

// From the first shot on: sets of this pattern, and what lies between them as groups of its own.
// before: the exposure of the last set, so that a camera that follows the dusk is no bracket.
std::vector<ShotGroup> cover(const Shots& shots, const Pattern& pattern, std::size_t& regular) {
  const std::size_t size = pattern.size();
  std::vector<ShotGroup> out;
  regular = 0;
  double before = NAN;
  const auto fits = [&](std::size_t k) {
    return alike(pattern_at(shots, k, size), pattern) &&
           !(std::fabs(exact_gain(shots[k]) - before) > kMostDrift * range_of(pattern));
  };
  for (std::size_t k = 0; k < shots.size();) {
    if (fits(k)) {
      out.emplace_back(k, k + size);
      before = exact_gain(shots[k]);
      ++regular, k += size;
      continue;
    }
    std::size_t next = k + 1;
    while (next < shots.size() && !fits(next)) ++next;
    // What is left out is at most a set a group.
    for (; k < next; k = std::min(next, k + size)) out.emplace_back(k, std::min(next, k + size));
  }
  return out;
}

}  // namespace

double pause_before(const Shots& shots, std::size_t k) {
  const double from = shots[k - 1].time, to = shots[k].time;
  if (from <= 0 || to <= 0) return NAN;
  return std::max(to - from - shots[k - 1].shutter, 0.0);
}

double between_pauses(double within, double between) {
  constexpr double kClearly = 2.5;  // times as long
  if (!(between + kClock > kClearly * (within + kClock))) return 0;
  return std::max(std::sqrt((between + kClock) * (within + kClock)) - kClock, 0.1);
}

Pattern best_pattern(const Shots& shots, std::size_t size, std::size_t& regular) {
  Pattern best;
  regular = 0;
  // A pattern that begins at its second shot repeats as well: the first that covers most.
  for (std::size_t start = 0; start < std::min(shots.size(), 3 * size); ++start) {
    const Pattern pattern = pattern_at(shots, start, size);
    if (pattern.empty() || range_of(pattern) < kLeastRange) continue;
    std::size_t covered = 0;
    cover(shots, pattern, covered);
    if (covered > regular) regular = covered, best = pattern;
  }
  return best;
}

Pattern usual_pattern(const Shots& shots, const std::vector<ShotGroup>& groups, std::size_t size) {
  Pattern best;
  std::size_t most = 0;
  for (const auto& [first, last] : groups) {
    const Pattern pattern = last - first == size ? pattern_at(shots, first, size) : Pattern();
    if (pattern.empty() || alike(pattern, best)) continue;
    const auto count =
        static_cast<std::size_t>(std::ranges::count_if(groups, [&](const ShotGroup& g) {
          return g.second - g.first == size && alike(pattern_at(shots, g.first, size), pattern);
        }));
    if (count > most) most = count, best = pattern;
  }
  return best;
}

std::vector<ShotGroup> part_by_pause(const Shots& shots, double pause) {
  std::vector<ShotGroup> out;
  for (std::size_t k = 0; k < shots.size(); ++k)
    if (k == 0 || !(pause_before(shots, k) <= pause))
      out.emplace_back(k, k + 1);
    else
      out.back().second = k + 1;
  return out;
}

double dividing_pause(const Shots& shots) {
  std::vector<double> pauses;
  for (std::size_t k = 1; k < shots.size(); ++k)
    if (const double p = pause_before(shots, k); !std::isnan(p)) pauses.push_back(p);
  if (pauses.size() + 1 < shots.size() * 9 / 10 || pauses.size() < 5) return 0;
  std::ranges::sort(pauses);
  double widest = 1, out = 0;
  // Longer ones part sets: at least one in kMostShots, at most every other.
  for (std::size_t k = std::max<std::size_t>(1, pauses.size() / 2);
       k + pauses.size() / (2 * kMostShots) < pauses.size(); ++k) {
    const double ratio = (pauses[k] + kClock) / (pauses[k - 1] + kClock);
    if (ratio > widest) widest = ratio, out = between_pauses(pauses[k - 1], pauses[k]);
  }
  return out;
}

std::vector<ShotGroup> groups_of(const Shots& shots, const Bracketing& how) {
  std::vector<ShotGroup> out;
  const auto size = static_cast<std::size_t>(std::clamp(how.set_size, 1, kMostShots));
  if (how.pause > 0) return part_by_pause(shots, how.pause);
  std::size_t regular = 0;
  if (size > 1)
    if (const Pattern pattern = best_pattern(shots, size, regular); regular > 0)
      return cover(shots, pattern, regular);
  // Nothing tells them apart: so many at a time.
  for (std::size_t k = 0; k < shots.size(); k += size)
    out.emplace_back(k, std::min(shots.size(), k + size));
  return out;
}

}  // namespace tsukimi
