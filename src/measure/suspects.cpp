// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/suspects.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

#include "base/parallel.h"
#include "image/fast_math.h"

#include "base/median.h"

namespace tsukimi {
namespace {

constexpr int kReach = 4;  // neighbours on each side

// Of at most four values, which are put in order.
double median_of(double* v, std::size_t n) {
  for (std::size_t i = 1; i < n; ++i)
    for (std::size_t j = i; j > 0 && v[j] < v[j - 1]; --j) std::swap(v[j], v[j - 1]);
  return n % 2 ? v[n / 2] : 0.5 * (v[n / 2] + v[n / 2 - 1]);
}

// Sigma of a normal distribution round 0.
double robust_sigma(std::vector<double> v) {
  for (double& x : v) x = std::fabs(x);
  return kSigmaPerMad * median(std::move(v));
}

// How far something stands out from what is before and from what is after: the smaller of the two,
// if they agree in sign.
double against_both(double before, double after) {
  if (before * after <= 0) return 0;
  return std::fabs(before) < std::fabs(after) ? before : after;
}

template <typename... Args>
std::string words(const char* format, Args... args) {
  char text[160];
  std::snprintf(text, sizeof text, format, args...);
  return text;
}

// 1/3 at the limit, 1 at three times the limit.
double strength(double measure, double limit) { return std::clamp(measure / limit / 3, 0.0, 1.0); }

struct Strongest {
  std::optional<Suspect> found;
  void offer(Suspect s) {
    if (!found || s.strength > found->strength) found = std::move(s);
  }
};

// ---- settings --------------------------------------------------------------------------------

struct Setting {
  const char* name;
  double (*value)(const FrameInfo&);  // 0: unknown
  std::string (*text)(double);
  double limit;   // stops: a return within this many frames of less than that is no suspect
  bool steps_ok;  // changes that stay are the photographer's way of working
};

const Setting kSettings[] = {
    {"aperture", [](const FrameInfo& f) { return f.aperture; },
     [](double v) { return words("f/%.3g", v); }, 0.0, false},
    {"shutter", [](const FrameInfo& f) { return f.shutter; }, format_shutter, 0.6, true},
    {"ISO", [](const FrameInfo& f) { return f.iso; }, [](double v) { return words("%.0f", v); },
     0.6, true},
    {"focal length", [](const FrameInfo& f) { return f.focal_length; },
     [](double v) { return words("%.4g mm", v); }, 0.0, false},
    {"focus distance", [](const FrameInfo& f) { return f.focus_distance; },
     [](double v) { return words("%.3g m", v); }, 0.05, false},
    {"white balance", [](const FrameInfo& f) { return f.white_balance; },
     [](double v) { return words("%.2f blue/red", v); }, 0.02, false}};

// Back where it was, but for an ordinary step that came meanwhile.
bool comes_back(double before, double there, double after) {
  constexpr double kStep = 0.4;  // stops
  if (after == before) return true;
  if (!(before > 0 && there > 0 && after > 0)) return false;
  const double out = std::fabs(std::log2(there / before)),
               back = std::fabs(std::log2(after / there)),
               left = std::fabs(std::log2(after / before));
  return left < kStep && 2 * left < std::max(out, back) && std::min(out, back) > 1.2 * left;
}

// A value that changes and comes back within three frames marks these frames; one that changes for
// good marks the first frame of the new value, unless it is one of many: that is a ramp, and meant.
void judge_settings(const std::vector<FrameInfo>& frames, const std::vector<int>& known,
                    std::vector<Strongest>& best) {
  for (const Setting& setting : kSettings) {
    struct Run {
      double value;
      std::size_t first, count;
    };
    std::vector<Run> runs;
    for (std::size_t k = 0; k < known.size(); ++k) {
      const double v = setting.value(frames[known[k]]);
      if (!runs.empty() && runs.back().value == v)
        ++runs.back().count;
      else
        runs.push_back({v, k, 1});
    }
    auto is_slip = [&](std::size_t r) {
      return runs[r].count <= 3 && r + 1 < runs.size() &&
             comes_back(runs[r - 1].value, runs[r].value, runs[r + 1].value);
    };
    int lasting = 0;
    for (std::size_t r = 1; r < runs.size(); ++r) {
      const bool slip = is_slip(r);
      lasting += !slip;
      if (slip) ++r;
    }
    constexpr int kMostLasting = 2;
    for (std::size_t r = 1; r < runs.size(); ++r) {
      const Run &run = runs[r], &before = runs[r - 1];
      if (run.value <= 0 || before.value <= 0) continue;
      const double stops = std::fabs(std::log2(run.value / before.value));
      if (stops <= setting.limit) continue;
      // A gain that goes with another setting (a trade) leaves the picture as bright as it was.
      const bool traded =
          setting.steps_ok && std::fabs(exact_gain(frames[known[run.first]]) -
                                        exact_gain(frames[known[run.first - 1]])) < setting.limit;
      const bool returns = is_slip(r);
      if (traded || (!returns && (setting.steps_ok || lasting > kMostLasting))) continue;
      const std::string was = setting.text(before.value), is = setting.text(run.value);
      const std::string where =
          returns ? (run.count == 1 ? " for one frame"
                                    : " for " + std::to_string(run.count) + " frames")
                  : " from here on";
      for (std::size_t k = run.first; k < run.first + (returns ? run.count : 1); ++k)
        best[known[k]].offer({known[k], SuspectKind::setting,
                              std::string(setting.name) + " " + is + " instead of " + was + where,
                              returns ? 1.0 : 0.7});
      if (returns) ++r;  // the way back is no change of its own
    }
  }
}

// ---- light -----------------------------------------------------------------------------------

struct LightSigns {
  double all = 0;                   // stops by which the whole frame stands out
  double brighter = 0, darker = 0;  // share of the picture that stands out further than that
  double by = 0;                    // median stops of the larger share
  double as_before = 0;             // share of what is not dark that does not stand out at all
  double height = 0;                // of what is brighter, in the middle: 0 bottom, 1 top
};

// A good part of the picture is as before: what changed is not the frame's exposure.
bool is_partly(const LightSigns& s) { return s.as_before >= 0.25; }

// Light per cell of the neighbours on one side, as this frame's exposure would have shown it.
std::vector<double> expected(const std::vector<std::optional<double>>& gains,
                             const std::vector<std::optional<LightGrid>>& grids,
                             const std::vector<int>& neighbours, double gain) {
  std::vector<double> out;
  if (neighbours.empty()) return out;
  std::vector<double> factor;
  for (int n : neighbours) factor.push_back(std::exp2(gain - *gains[n]));
  out.resize(LightGrid::kCells);
  double cell[3];
  const std::size_t count = std::min<std::size_t>(neighbours.size(), 3);
  for (int c = 0; c < LightGrid::kCells; ++c) {
    for (std::size_t k = 0; k < count; ++k) cell[k] = grids[neighbours[k]]->light[c] * factor[k];
    out[c] = std::min(median_of(cell, count), 1.0);
  }
  return out;
}

constexpr double kFoot = 0.004;  // light that is noise

LightSigns compare_light(const LightGrid& grid, const std::vector<double>& before,
                         const std::vector<double>& after) {
  constexpr double kApart = 0.6, kAsBefore = 0.1;  // stops
  std::vector<double> d(LightGrid::kCells);
  int telling = 0, same = 0;  // cells that are not dark; of those the ones that are as before
  for (int c = 0; c < LightGrid::kCells; ++c) {
    auto stops = [](double light) {
      return fast_log2(static_cast<float>(std::max(light, 0.0) + kFoot));
    };
    const double here = stops(grid.light[c]);
    const double b = before.empty() ? 0 : here - stops(before[c]);
    const double a = after.empty() ? 0 : here - stops(after[c]);
    d[c] = before.empty() ? a : after.empty() ? b : against_both(b, a);
    if (grid.light[c] < 2 * kFoot) continue;
    ++telling;
    same += std::fabs(d[c]) < kAsBefore;
  }
  LightSigns s;
  s.all = median(d);
  s.as_before = telling > 0 ? static_cast<double>(same) / telling : 0;
  // Where much is as before, that is what a brighter part stands out from.
  const double rest = is_partly(s) ? 0 : s.all;
  std::vector<double> up, down, heights;
  for (int c = 0; c < LightGrid::kCells; ++c) {
    const double v = d[c];
    if (v - rest > kApart && v > 0) {
      up.push_back(v);
      heights.push_back(1 - (c / LightGrid::kColumns + 0.5) / LightGrid::kRows);
    }
    if (v - s.all < -kApart && v < 0) down.push_back(v);
  }
  s.height = median(std::move(heights));
  s.brighter = static_cast<double>(up.size()) / LightGrid::kCells;
  s.darker = static_cast<double>(down.size()) / LightGrid::kCells;
  s.by = median(s.brighter > s.darker ? up : down);
  return s;
}

// What shines on a part of the picture and leaves the rest as it was is an event; what changes all
// of it has ruined the frame. Lightning is over the land, lamps are on it; headlights that light
// much of the picture are no lamp that passes.
SuspectKind kind_of_brighter(const LightSigns& s) {
  constexpr double kMiddle = 0.5, kMostOfLamp = 0.3;  // of the picture's height, of the picture
  if (!is_partly(s)) return SuspectKind::bright;
  if (s.height > kMiddle) return SuspectKind::lightning;
  return s.brighter < kMostOfLamp ? SuspectKind::lamp : SuspectKind::bright;
}

const char* what_of(SuspectKind kind) {
  return kind == SuspectKind::lightning ? "lightning"
         : kind == SuspectKind::lamp    ? "a lamp passes"
                                        : "bright for one frame";
}

void judge_light(const std::vector<FrameInfo>& frames,
                 const std::vector<std::optional<LightGrid>>& grids,
                 const std::vector<int>& measured, std::vector<Strongest>& best) {
  // A frame whose gain nobody knows can be compared with none.
  const auto gains = comparable_gains(frames);
  std::vector<int> known;
  for (int i : measured)
    if (gains[i]) known.push_back(i);
  constexpr double kArea = 0.035, kAll = 0.22;  // share of the picture; stops
  const int n = static_cast<int>(known.size());
  if (n < 4) return;
  // Against up to three frames on either side, or on one of them alone.
  const auto signs_of = [&](int k, bool with_before, bool with_after) {
    std::vector<int> before, after;
    if (with_before) before.assign(known.begin() + std::max(0, k - 3), known.begin() + k);
    if (with_after) after.assign(known.begin() + k + 1, known.begin() + std::min(n, k + 4));
    const double gain = *gains[known[k]];
    return compare_light(*grids[known[k]], expected(gains, grids, before, gain),
                         expected(gains, grids, after, gain));
  };
  std::vector<LightSigns> signs(n);
  parallel_ranges(n, 4, [&](int first, int last) {
    for (int k = first; k < last; ++k) signs[k] = signs_of(k, true, true);
  });
  // At an end there is one side only, from which a frame stands out by what the light goes on too:
  // by as much as the next one does.
  for (const bool begins : {true, false}) {
    const double next = signs_of(begins ? 1 : n - 2, !begins, begins).all;
    double& all = signs[begins ? 0 : n - 1].all;
    if ((next > 0) == (all > 0))
      all -= std::copysign(std::min(std::fabs(next), std::fabs(all)), all);
  }
  std::vector<double> all;
  for (const auto& s : signs) all.push_back(s.all);
  const double limit = std::max(kAll, 5 * robust_sigma(all));
  for (int k = 0; k < n; ++k) {
    const LightSigns& s = signs[k];
    const int frame = known[k];
    const double end = k == 0 || k == n - 1 ? 1.6 : 1;  // one side only: less is known
    if (s.brighter > kArea * end && s.brighter >= s.darker) {
      const SuspectKind kind = kind_of_brighter(s);
      best[frame].offer(
          {frame, kind,
           words("%s: %.1f stops in %.0f %% of the picture", what_of(kind), s.by, 100 * s.brighter),
           strength(s.brighter, kArea * end)});
    }
    if (s.darker > kArea * end && s.darker > s.brighter)
      best[frame].offer({frame, SuspectKind::covered,
                         words("a part is covered: %.0f %% of the picture is %.1f stops darker",
                               100 * s.darker, -s.by),
                         strength(s.darker, kArea * end)});
    // A lightning over more than half of the picture lifts its middle too.
    if (s.all > limit * end && !(s.brighter > kArea && is_event(kind_of_brighter(s))))
      best[frame].offer(
          {frame, SuspectKind::bright,
           words("bright for one frame: %.2f stops, not by the camera's settings", s.all),
           strength(s.all, limit * end)});
    if (s.all < -limit * end)
      best[frame].offer(
          {frame, SuspectKind::dark,
           words("dark for one frame: %.2f stops, not by the camera's settings", -s.all),
           strength(-s.all, limit * end)});
  }
}

// ---- sharpness -------------------------------------------------------------------------------

// log2 of a frame's sharpness against neighbours' (median per block), over the blocks that had most
// to lose.
double compare_detail(const std::vector<std::optional<FrameSigns>>& signs, int frame,
                      const std::vector<int>& neighbours) {
  std::vector<std::pair<double, double>> blocks;  // sharpness of the neighbours, log ratio
  double v[kReach];
  const std::size_t count = std::min<std::size_t>(neighbours.size(), kReach);
  for (int c = 0; c < DetailGrid::kCells; ++c) {
    for (std::size_t k = 0; k < count; ++k) v[k] = signs[neighbours[k]]->detail.sharp[c];
    const double there = median_of(v, count);
    if (there > 0)
      blocks.emplace_back(there, std::log2(signs[frame]->detail.sharp[c] / there + 1e-3));
  }
  if (blocks.size() < 12) return 0;
  std::sort(blocks.begin(), blocks.end(), std::greater<>());
  std::vector<double> ratios;
  for (std::size_t i = 0; i < std::max<std::size_t>(blocks.size() / 6, 12); ++i)
    ratios.push_back(blocks[i].second);
  return median(ratios);
}

void judge_sharpness(const std::vector<std::optional<FrameSigns>>& signs,
                     const std::vector<int>& known, std::vector<Strongest>& best) {
  constexpr double kLimit = 0.32;  // log2
  const int n = static_cast<int>(known.size());
  if (n < 4) return;
  std::vector<double> before(n, 0), after(n, 0), lost(n, 0);
  parallel_ranges(n, 4, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const std::vector<int> b(known.begin() + std::max(0, k - kReach), known.begin() + k),
          a(known.begin() + k + 1, known.begin() + std::min(n, k + 1 + kReach));
      before[k] = b.empty() ? 0 : compare_detail(signs, known[k], b);
      after[k] = a.empty() ? 0 : compare_detail(signs, known[k], a);
      lost[k] = b.empty() ? after[k] : a.empty() ? before[k] : against_both(before[k], after[k]);
    }
  });
  const double limit = std::max(kLimit, (6 + 36.0 / n) * robust_sigma(lost));
  for (int k = 0; k < n; ++k)
    if (-lost[k] > (k == 0 || k == n - 1 ? 1.8 : 1) * limit)  // one side only: less is known
      best[known[k]].offer(
          {known[k], SuspectKind::blurred,
           words("blurred: fine detail is at %.0f %% of its neighbours'", 100 * std::exp2(lost[k])),
           strength(-lost[k], limit)});
  // Focus that is lost and stays so: the frames after a place are all softer than those before, and
  // it happens from one frame to the next (dusk takes fine detail slowly).
  for (int k = kReach; k + kReach <= n; ++k) {
    double drop = 0;
    for (int j = k; j < k + kReach; ++j) {
      const std::vector<int> b(known.begin() + k - kReach, known.begin() + k);
      drop += compare_detail(signs, known[j], b) / kReach;
      if (j == k && drop * kReach > -limit) break;
    }
    if (-drop > 1.5 * limit && !best[known[k]].found &&
        -compare_detail(signs, known[k], {known[k - 1]}) > -0.6 * drop) {
      best[known[k]].offer(
          {known[k], SuspectKind::blurred,
           words("focus changes here: fine detail falls to %.0f %%", 100 * std::exp2(drop)),
           strength(-drop, 1.5 * limit)});
      k += kReach;
    }
  }
}

// ---- position --------------------------------------------------------------------------------

// all: frames whose shift is known, against the one before each; known: those of them to be judged.
void judge_position(const std::vector<std::optional<FrameSigns>>& signs,
                    const std::vector<int>& all, const std::vector<int>& known,
                    std::vector<Strongest>& best) {
  constexpr double kLimit = 0.0013;  // of the width
  const int n = static_cast<int>(known.size());
  if (n < 6) return;
  // A frame that something else is wrong with cannot be placed: it is taken to stand where its
  // neighbour does.
  std::vector<double> x(n, 0), y(n, 0);
  std::vector<bool> placed(n, true);
  // Shifts add up over all frames: one that is judged no further still stands between others.
  double sum_x = 0, sum_y = 0;
  std::size_t at = 0;
  for (int frame : all) {
    const Shift& s = signs[frame]->shift;
    if (s.known && frame != all.front()) sum_x += s.dx, sum_y += s.dy;
    if (at == known.size() || known[at] != frame) continue;
    placed[at] = at == 0 || s.known;
    x[at] = sum_x;
    y[at] = sum_y;
    ++at;
  }
  auto middle = [&](const std::vector<double>& v, int from, int to) {
    std::vector<double> part;
    for (int k = std::max(0, from); k < std::min(n, to); ++k) part.push_back(v[k]);
    return median(part);
  };
  std::vector<double> jump_x(n, 0), jump_y(n, 0);
  for (int k = 1; k < n; ++k) jump_x[k] = x[k] - x[k - 1], jump_y[k] = y[k] - y[k - 1];
  const double noise = std::hypot(robust_sigma(jump_x), robust_sigma(jump_y)) / std::sqrt(2.0);
  const double few = n < 60 ? 1.25 : 1;  // the spread of few frames is not well known
  const double alone = std::max(kLimit, 3.8 * few * noise),
               stays = std::max(kLimit, 3.0 * few * noise);
  for (int k = 0; k < n; ++k) {
    if (best[known[k]].found && best[known[k]].found->kind != SuspectKind::setting) continue;
    if (k > 0 && !placed[k]) continue;
    const double bx = k > 0 ? x[k] - middle(x, k - kReach, k) : 0,
                 by = k > 0 ? y[k] - middle(y, k - kReach, k) : 0;
    const double ax = k + 1 < n ? x[k] - middle(x, k + 1, k + 1 + kReach) : 0,
                 ay = k + 1 < n ? y[k] - middle(y, k + 1, k + 1 + kReach) : 0;
    const double before = std::hypot(bx, by), after = std::hypot(ax, ay);
    const bool same_way = bx * ax + by * ay > 0.5 * before * after;
    const double out = k == 0       ? after
                       : k == n - 1 ? before
                       : same_way   ? std::min(before, after)
                                    : 0;
    if (out > alone) {
      best[known[k]].offer(
          {known[k], SuspectKind::bumped,
           words("bumped: this frame lies %.2f %% of the width off its neighbours", 100 * out),
           strength(out, alone)});
      continue;
    }
    if (k < 3 || k + 3 > n) continue;
    const double sx = middle(x, k, k + kReach) - middle(x, k - kReach, k),
                 sy = middle(y, k, k + kReach) - middle(y, k - kReach, k);
    const double step = std::hypot(sx, sy), here = std::hypot(jump_x[k], jump_y[k]);
    // The jump itself must be here, in one go.
    if (step > stays && here > 0.55 * step && here > stays &&
        jump_x[k] * sx + jump_y[k] * sy > 0.7 * here * step)
      best[known[k]].offer({known[k], SuspectKind::bumped,
                            words("the camera moves here, by %.2f %% of the width", 100 * step),
                            strength(step, stays)});
  }
}

}  // namespace

std::vector<Suspect> find_suspects(const std::vector<FrameInfo>& frames,
                                   const std::vector<std::optional<LightGrid>>& grids,
                                   const std::vector<std::optional<FrameSigns>>& signs) {
  std::vector<Strongest> best(frames.size());
  std::vector<int> readable, measured, seen;
  for (int i = 0; i < static_cast<int>(frames.size()); ++i) {
    if (!frames[i].usable()) {
      best[i].offer({i, SuspectKind::unreadable, frames[i].problem, 1});
      continue;
    }
    readable.push_back(i);
    if (grids[i]) measured.push_back(i);
    if (signs[i]) seen.push_back(i);
  }
  judge_settings(frames, readable, best);
  judge_light(frames, grids, measured, best);
  const std::vector<int> all = seen;
  // What was covered or blinded is judged no further, and does not stand for its neighbours.
  std::erase_if(
      seen, [&](int i) { return best[i].found && best[i].found->kind != SuspectKind::setting; });
  judge_sharpness(signs, seen, best);
  judge_position(signs, all, seen, best);
  std::vector<Suspect> out;
  for (auto& b : best)
    if (b.found) out.push_back(std::move(*b.found));
  return out;
}

}  // namespace tsukimi
