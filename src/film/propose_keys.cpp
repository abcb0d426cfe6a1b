// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/propose_keys.h"

#include <algorithm>
#include <cmath>

#include "adjust/auto_keys.h"
#include "base/parallel.h"
#include "film/film.h"
#include "measure/lamps.h"

namespace tsukimi {
namespace {

struct Rise {
  int at;
  double by;
};

// Where a course begins to rise for good; nothing when it does not rise by `least`.
std::optional<Rise> lasting_rise(const std::vector<double>& course, double least) {
  const int n = static_cast<int>(course.size());
  int low = 0;
  for (int i = 0; i < n; ++i)
    if (course[i] < course[low]) low = i;
  double after = course[low];
  for (int i = low; i < n; ++i) after = std::max(after, course[i]);
  const double rise = after - course[low];
  // Most of it has to last to the end: what passes is no lamp.
  if (rise < least || course[n - 1] < course[low] + rise / 2) return {};
  int at = low;
  constexpr double kBegin = 0.15;
  while (course[at] < course[low] + kBegin * rise) ++at;
  return Rise{at, rise};
}

std::vector<double> smoothed(const std::vector<double>& v, int reach) {
  std::vector<double> out;
  const int n = static_cast<int>(v.size());
  for (int i = 0; i < n; ++i) {
    std::vector<double> round(v.begin() + std::max(0, i - reach),
                              v.begin() + std::min(n, i + reach + 1));
    std::ranges::nth_element(round, round.begin() + std::ssize(round) / 2);
    out.push_back(round[round.size() / 2]);
  }
  return out;
}

}  // namespace

const char* words_of(KeyReason why) {
  switch (why) {
    case KeyReason::first:
      return "first frame";
    case KeyReason::last:
      return "last frame";
    case KeyReason::bend:
      return "light bends here";
    case KeyReason::lamps_on:
      return "lamps begin to show";
    case KeyReason::lamps_off:
      return "lamps go out";
  }
  return "";
}

std::vector<double> lamps_course(const Shoot& shoot, const LightGrids& grids) {
  const std::vector<int> kept = kept_frames(shoot, grids.size());
  const int n = static_cast<int>(kept.size());
  constexpr int kSamples = 400;
  const int every = std::max(1, n / kSamples), count = n ? (n - 1) / every + 1 : 0;
  std::vector<double> sampled(static_cast<std::size_t>(count));
  for (int frame : kept)
    if (!grids[static_cast<std::size_t>(frame)]) return {};
  parallel_rows(count, [&](int from, int to) {
    for (int i = from; i < to; ++i)
      sampled[static_cast<std::size_t>(i)] = share_of_lamps(
          *grids[static_cast<std::size_t>(kept[static_cast<std::size_t>(i * every)])]);
  });
  std::vector<double> out;
  for (int i = 0; i < n; ++i) {
    const auto a = static_cast<std::size_t>(i / every), b = std::min(a + 1, sampled.size() - 1);
    out.push_back(std::lerp(sampled[a], sampled[b], (i % every) / static_cast<double>(every)));
  }
  return out;
}

std::vector<ProposedKey> propose_keys(const Shoot& shoot, const LightPlan& plan,
                                      const std::vector<double>& lamps, int most) {
  const std::vector<int> kept = kept_frames(shoot, plan.as_shot.size());
  const int n = static_cast<int>(kept.size());
  if (n == 0) return {};
  auto index_of = [&](int frame) {  // of the kept frame there, or the next one
    return std::min(n - 1, static_cast<int>(std::ranges::lower_bound(kept, frame) - kept.begin()));
  };
  std::vector<int> there;
  for (int frame : key_places(shoot)) there.push_back(index_of(frame));
  std::vector<ProposedKey> wanted{{0, KeyReason::first}, {n - 1, KeyReason::last}};
  if (std::ssize(lamps) == n && n > 8) {
    constexpr double kSmallestRise = 0.004;  // of the picture
    std::vector<double> course = smoothed(lamps, std::max(2, n / 60));
    const auto on = lasting_rise(course, kSmallestRise);
    std::ranges::reverse(course);
    const auto off = lasting_rise(course, kSmallestRise);
    // Glitter on the water comes and goes too; what changes more are the lamps.
    if (on && (!off || on->by >= off->by)) wanted.push_back({on->at, KeyReason::lamps_on});
    if (off && (!on || off->by > on->by)) wanted.push_back({n - 1 - off->at, KeyReason::lamps_off});
  }
  const int apart = least_apart(n);
  std::vector<int> all = there;
  std::vector<ProposedKey> out;
  auto take = [&](const ProposedKey& key) {
    const bool near =
        std::ranges::any_of(all, [&](int other) { return std::abs(other - key.frame) < apart; });
    if (near || static_cast<int>(all.size()) >= most) return;
    all.push_back(key.frame);
    out.push_back(key);
  };
  for (const ProposedKey& key : wanted) take(key);
  std::ranges::sort(all);
  // A few are placed where it matters; who asks for many gets them.
  constexpr int kFew = 6;
  for (int i : place_keys(plan.level.light, most, most > kFew ? 0.0 : 0.2, all))
    if (!std::ranges::binary_search(all, i)) out.push_back({i, KeyReason::bend});
  std::ranges::sort(out, {}, &ProposedKey::frame);
  for (ProposedKey& key : out) key.frame = kept[static_cast<std::size_t>(key.frame)];
  return out;
}

}  // namespace tsukimi
