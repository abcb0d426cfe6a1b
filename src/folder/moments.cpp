// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/moments.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>

#include "base/median.h"
#include "folder/order.h"
#include "folder/shot_groups.h"

namespace tsukimi {
namespace {

std::string stops_text(double stops) {
  char text[16];
  std::snprintf(text, sizeof text, "%+.3g", std::round(stops * 10) / 10);
  return std::fabs(stops) < 0.05 ? "0" : text;
}

// Which shot of a regular moment is its frame: the middle one by exposure.
std::size_t middle_of(const Pattern& pattern) {
  std::vector<std::size_t> order(pattern.size());
  for (std::size_t k = 0; k < order.size(); ++k) order[k] = k;
  std::ranges::stable_sort(order, {}, [&](std::size_t k) { return pattern[k]; });
  return order[order.size() / 2];
}

// The shot whose exposure is nearest.
std::size_t nearest(const Shots& shots, double gain) {
  std::size_t out = 0;
  for (std::size_t k = 1; k < shots.size(); ++k)
    if (std::fabs(exact_gain(shots[k]) - gain) < std::fabs(exact_gain(shots[out]) - gain)) out = k;
  return out;
}

// Shots of a moment as those of a pattern: the exposure that the pattern's first shot has in it,
// and which of its shots are there. The dusk may have fallen since the moment before, so it is the
// fit with most of them; of several the one nearest to `expected` (NaN: any).
struct Fit {
  double first = NAN;
  std::vector<char> there;
};
Fit fit(const Shots& shots, const Pattern& pattern, double expected) {
  Fit best;
  std::ptrdiff_t most = 0;
  for (const double offset : pattern) {
    Fit here{exact_gain(shots.front()) - offset, std::vector<char>(pattern.size(), 0)};
    for (std::size_t j = 0; j < pattern.size(); ++j) {
      const double wanted = here.first + pattern[j];
      here.there[j] = std::fabs(exact_gain(shots[nearest(shots, wanted)]) - wanted) <= kAlikeStops;
    }
    const auto count = std::ranges::count(here.there, 1);
    const bool nearer =
        count == most && std::fabs(here.first - expected) < std::fabs(best.first - expected);
    if (count > most || nearer) best = std::move(here), most = count;
  }
  return best;
}

FrameInfo frame_of(Shots shots, std::size_t at) {
  FrameInfo out = std::move(shots[at]);
  shots.erase(shots.begin() + static_cast<std::ptrdiff_t>(at));
  out.others = std::move(shots);
  return out;
}

// The pattern that most moments follow, which of them do, and how the others fit it (empty: their
// exposures are not known).
struct Regular {
  Pattern pattern;
  std::vector<char> is;
  std::vector<Fit> fits;
  std::size_t middle = 0;

  Regular(const std::vector<Shots>& moments, int set_size) {
    Shots all;
    std::vector<ShotGroup> groups;
    for (const Shots& shots : moments) {
      groups.emplace_back(all.size(), all.size() + shots.size());
      all.insert(all.end(), shots.begin(), shots.end());
    }
    pattern = usual_pattern(all, groups, static_cast<std::size_t>(set_size));
    if (!pattern.empty()) middle = middle_of(pattern);
    std::vector<char> known;
    for (const Shots& shots : moments) {
      const Pattern here = pattern_at(shots, 0, shots.size());
      known.push_back(!pattern.empty() && !here.empty());
      is.push_back(known.back() && alike(here, pattern));
    }
    fits.resize(moments.size());
    const auto first = std::ranges::find(is, 1) - is.begin();
    double expected =
        first < std::ssize(is) ? exact_gain(moments[static_cast<std::size_t>(first)].front()) : NAN;
    for (std::size_t k = 0; k < moments.size(); ++k) {
      if (known[k]) fits[k] = fit(moments[k], pattern, expected);
      if (is[k]) expected = exact_gain(moments[k].front());
    }
  }
};

std::vector<Shots> moments_of(const std::vector<FrameInfo>& frames) {
  std::vector<Shots> out;
  for (const FrameInfo& frame : frames) out.push_back(shots_of({frame}));
  return out;
}

void move_shots(std::vector<Shots>& moments, const std::vector<MovedShot>& moved) {
  for (const MovedShot& m : moved)
    for (std::size_t k = 0; k < moments.size(); ++k) {
      const auto shot = std::ranges::find(moments[k], m.file, &FrameInfo::file);
      if (shot == moments[k].end()) continue;
      const auto to = static_cast<std::ptrdiff_t>(k) + (m.by < 0 ? -1 : 1);
      if (to < 0 || to >= std::ssize(moments)) break;
      Shots& there = moments[static_cast<std::size_t>(to)];
      there.insert(m.by < 0 ? there.end() : there.begin(), std::move(*shot));
      moments[k].erase(shot);
      break;
    }
  std::erase_if(moments, [](const Shots& s) { return s.empty(); });
}

bool earlier(const FrameInfo& a, const FrameInfo& b) {
  if (a.time > 0 && b.time > 0 && a.time != b.time) return a.time < b.time;
  return natural_less(a.file, b.file);
}

}  // namespace

Bracketing find_brackets(const std::vector<FrameInfo>& shots) {
  Bracketing out;
  if (shots.size() < 2 * kFewestSets) return out;
  constexpr double kMostAre = 0.6;  // of the shots: in sets that are as they should be
  const auto enough = [&](std::size_t sets, std::size_t size) {
    return sets >= kFewestSets &&
           static_cast<double>(sets * size) >= kMostAre * static_cast<double>(shots.size());
  };
  if (const double pause = dividing_pause(shots); pause > 0) {
    const std::vector<ShotGroup> groups = part_by_pause(shots, pause);
    std::map<std::size_t, std::size_t> sizes;
    for (const auto& [first, last] : groups) ++sizes[last - first];
    const auto usual = std::ranges::max_element(sizes, {}, [](const auto& s) { return s.second; });
    const std::size_t size = usual->first;
    if (size >= 2 && size <= kMostShots) {
      const Pattern pattern = usual_pattern(shots, groups, size);
      const auto sets =
          static_cast<std::size_t>(std::ranges::count_if(groups, [&](const ShotGroup& g) {
            return g.second - g.first == size && alike(pattern_at(shots, g.first, size), pattern);
          }));
      if (!pattern.empty() && range_of(pattern) >= kLeastRange && enough(sets, size)) {
        out.set_size = static_cast<int>(size);
        out.pause = std::round(pause * 100) / 100;
        return out;
      }
    }
  }
  // Two exposures by turns are no bracket unless pauses say so: a meter may swing.
  std::size_t most = 0;
  for (std::size_t size = 3; size <= kMostShots; ++size) {
    std::size_t sets = 0;
    if (best_pattern(shots, size, sets).empty() || !enough(sets, size)) continue;
    if (sets * size > most) most = sets * size, out.set_size = static_cast<int>(size);
  }
  return out;
}

std::vector<FrameInfo> group_moments(std::vector<FrameInfo> shots, const Bracketing& how) {
  for (FrameInfo& f : shots) f.merged = true, f.as_if = 0;
  if (how.set_size <= 1) return shots;
  std::vector<Shots> moments;
  for (const auto& [first, last] : groups_of(shots, how)) {
    // Nobody knows the exposure of what cannot be read: a frame of its own.
    bool together = false;
    for (std::size_t k = first; k < last; ++k) {
      if (!together || !shots[k].usable()) moments.emplace_back();
      together = shots[k].usable();
      moments.back().push_back(std::move(shots[k]));
    }
  }
  move_shots(moments, how.moved);
  for (Shots& moment : moments) std::ranges::stable_sort(moment, earlier);
  const Regular regular(moments, how.set_size);
  const auto size = static_cast<std::size_t>(how.set_size);
  const std::size_t wanted = how.exposure > 0
                                 ? std::min(static_cast<std::size_t>(how.exposure) - 1, size - 1)
                             : regular.pattern.empty() ? size / 2
                                                       : regular.middle;
  std::vector<FrameInfo> out;
  for (std::size_t k = 0; k < moments.size(); ++k) {
    Shots& moment = moments[k];
    const double first = regular.fits[k].first;
    const std::size_t at = std::isnan(first) || regular.is[k]
                               ? std::min(wanted, moment.size() - 1)
                               : nearest(moment, first + regular.pattern[wanted]);
    out.push_back(frame_of(std::move(moment), at));
  }
  settle_moments(out, how);
  return out;
}

void settle_moments(std::vector<FrameInfo>& frames, const Bracketing& how) {
  std::map<std::string, const ShotOffset*> offsets;
  for (const ShotOffset& o : how.offsets) offsets.emplace(o.file, &o);
  for (FrameInfo& f : frames) {
    f.merged = how.exposure == 0, f.as_if = 0;
    f.dx = f.dy = 0;
    for (FrameInfo& other : f.others) {
      const auto known = offsets.find(other.file);
      const bool lies_off = how.aligned && known != offsets.end();
      other.dx = lies_off ? known->second->dx : 0;
      other.dy = lies_off ? known->second->dy : 0;
    }
  }
  if (how.set_size <= 1 || how.exposure > 0) return;
  const Regular regular(moments_of(frames), how.set_size);
  for (std::size_t k = 0; k < frames.size(); ++k) {
    FrameInfo& f = frames[k];
    if (regular.is[k] || !f.is_merged() || std::isnan(regular.fits[k].first)) continue;
    const double apart = regular.fits[k].first + regular.pattern[regular.middle] - exact_gain(f);
    if (std::fabs(apart) > kAlikeStops) f.as_if = apart;
  }
}

std::vector<FrameInfo> shots_of(const std::vector<FrameInfo>& frames) {
  std::vector<FrameInfo> out;
  for (const FrameInfo& frame : frames) {
    std::vector<FrameInfo> shots = frame.others;
    shots.push_back(frame);
    shots.back().others.clear();
    shots.back().as_if = 0;  // is the frame's, not the shot's
    std::ranges::stable_sort(shots, earlier);
    std::ranges::move(shots, std::back_inserter(out));
  }
  return out;
}

// What is wrong with a moment that has other shots than the others.
static std::string other_shots(const Shots& shots, const Regular& regular, const Fit& fit) {
  const Pattern& pattern = regular.pattern;
  const std::string count = std::to_string(shots.size()), all = std::to_string(pattern.size());
  if (shots.size() == pattern.size()) return count + " shots of other exposures than the others";
  if (shots.size() > pattern.size()) return count + " shots where the others have " + all;
  std::string missing;
  for (std::size_t j = 0; j < pattern.size(); ++j)
    if (!fit.there[j])
      missing +=
          (missing.empty() ? "" : ", ") +
          (j == regular.middle ? std::string("the middle one")
                               : stops_text(pattern[j] - pattern[regular.middle]) + " stops");
  const bool one = std::ranges::count(fit.there, 0) == 1;
  return count + " of " + all +
         (missing.empty() ? " shots" : ": " + missing + (one ? " is missing" : " are missing"));
}

MomentReport report_moments(const std::vector<FrameInfo>& frames, const Bracketing& how) {
  MomentReport out;
  out.set_size = how.set_size;
  out.moments = static_cast<int>(frames.size());
  const std::vector<Shots> moments = moments_of(frames);
  for (const Shots& shots : moments) out.files += static_cast<int>(shots.size());
  if (how.set_size <= 1) return out;
  const Regular regular(moments, how.set_size);
  for (const double stops : regular.pattern)
    out.stops.push_back(stops - regular.pattern[regular.middle]);
  for (std::size_t k = 0; k < moments.size(); ++k) {
    const Shots& shots = moments[k];
    std::string why;
    if (pattern_at(shots, 0, shots.size()).empty())
      why = shots.front().usable() ? "a shot does not tell its exposure"
                                   : shots.front().file + " " + shots.front().problem;
    else if (!regular.is[k] && !regular.pattern.empty())
      why = other_shots(shots, regular, regular.fits[k]);
    else if (k > 0 && shots.front().time > 0 && moments[k - 1].back().time > 0 &&
             shots.front().time < moments[k - 1].back().time)
      why = "it begins before the moment before it ends";
    else if (std::ranges::any_of(shots,
                                 [&](const FrameInfo& f) { return f.lens != shots[0].lens; }))
      why = "its shots are through different lenses";
    if (!why.empty()) out.irregular.push_back({static_cast<int>(k), std::move(why)});
  }
  return out;
}

FrameInfo read_again(const std::filesystem::path& folder, const FrameInfo& frame) {
  FrameInfo out = read_frame_info(folder / frame.file);
  out.id = frame.id;
  out.merged = frame.merged;
  out.as_if = frame.as_if;
  for (const FrameInfo& before : frame.others) {
    FrameInfo& other = out.others.emplace_back(read_frame_info(folder / before.file));
    other.id = before.id;
    other.dx = before.dx, other.dy = before.dy;
    if (!out.usable() || other.usable() || !out.merged) continue;
    out.problem = "is merged with " + other.file + ", which " + other.problem;
    out.away = other.away;
  }
  return out;
}

const std::string& first_file(const FrameInfo& frame) {
  const std::string* out = &frame.file;
  const FrameInfo* first = &frame;
  for (const FrameInfo& other : frame.others)
    if (earlier(other, *first)) first = &other, out = &other.file;
  return *out;
}

const std::string& last_file(const FrameInfo& frame) {
  const FrameInfo* last = &frame;
  for (const FrameInfo& other : frame.others)
    if (earlier(*last, other)) last = &other;
  return last->file;
}

}  // namespace tsukimi
