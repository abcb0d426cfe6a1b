// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/dust_groups.h"

#include <algorithm>
#include <cmath>

#include "base/part_of_work.h"

namespace tsukimi {
namespace {

std::vector<DustGroup> by_aperture(const DustStack& stack) {
  constexpr std::size_t kMost = 6;  // what each needs is large; others are reckoned from those
  std::vector<DustGroup> out;
  for (int k = 0; k < std::ssize(stack.apertures); ++k) {
    const double a = stack.apertures[static_cast<std::size_t>(k)];
    auto same = std::ranges::find_if(out, [&](const DustGroup& g) {
      return std::fabs(g.aperture - a) <= 0.04 * std::max(a, g.aperture);
    });
    if (same == out.end()) {
      out.emplace_back().aperture = a;
      same = out.end() - 1;
    }
    same->frames.push_back(k);
  }
  std::erase_if(out, [](const DustGroup& g) { return std::ssize(g.frames) < Layered::kFewest; });
  std::ranges::sort(out, std::greater(), [](const DustGroup& g) { return g.frames.size(); });
  if (out.size() > kMost) out.resize(kMost);
  if (out.empty()) out.emplace_back().frames = stack.all();
  std::ranges::sort(out, {}, &DustGroup::aperture);
  return out;
}

}  // namespace

std::vector<DustGroup> dust_groups(const DustStack& stack, const Work& work) {
  constexpr int kMoves = 60, kPatterns = 80, kDone = 100;  // where it stands, of a hundred
  std::vector<DustGroup> out = by_aperture(stack);
  const DustMoves moves = measure_moves(stack, part_of_work(work, 0, kMoves));
  // The earlier and the later frames of each.
  std::vector<int> part(stack.frames.size(), -1);
  for (std::size_t g = 0; g < out.size(); ++g)
    for (std::size_t i = 0; i < out[g].frames.size(); ++i)
      part[static_cast<std::size_t>(out[g].frames[i])] =
          static_cast<int>(2 * g) + (2 * i >= out[g].frames.size());
  auto patterns = fixed_patterns(stack, moves, part, static_cast<int>(2 * out.size()),
                                 part_of_work(work, kMoves, kPatterns));
  for (std::size_t g = 0; g < out.size() && !work.stop(); ++g) {
    FixedPattern &early = patterns[2 * g], &late = patterns[2 * g + 1];
    out[g].early = early.slopes(), out[g].late = late.slopes();
    early.add(late);
    out[g].all = early.slopes();
    out[g].gone_by = passing(stack, moves, out[g].frames, work);
    work.report(kPatterns + static_cast<int>((kDone - kPatterns) * (g + 1) / out.size()), kDone);
  }
  return out;
}

ShadowFit as_in(const ShadowFit& fit, const DustGroup& from, const DustGroup& to) {
  if (from.aperture <= 0 || to.aperture <= 0) return fit;
  return scaled(fit, to.aperture / from.aperture);
}

Share borne_out(const std::vector<DustGroup>& groups, const ShadowFit& fit, const DustGroup& from,
                Half half, int sector) {
  Evidence out;
  for (const DustGroup& g : groups)
    out.add(half == Half::all     ? g.all
            : half == Half::early ? g.early
                                  : g.late,
            as_in(fit, from, g), sector);
  return out.share();
}

}  // namespace tsukimi
