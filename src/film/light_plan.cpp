// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/light_plan.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <limits>

#include "base/median.h"
#include "base/parallel.h"
#include "develop/propose.h"
#include "document/values.h"
#include "film/checks.h"
#include "film/film.h"
#include "light/flicker.h"

namespace tsukimi {
namespace {

constexpr double kUnknown = std::numeric_limits<double>::quiet_NaN();

// The frames that take part, so that those left out neither weigh nor stand between neighbours.
Plane green_of(const Proxy& p) {
  Plane out(p.width, p.height);
  const std::size_t n = out.data.size();
  for (std::size_t i = 0; i < n; ++i)
    out.data[i] = (static_cast<float>(p.data[n + i]) - kProxyPedestal) / kProxyScale;
  return out;
}

// Measures frames run by run, on several threads. With `shifts`, also how far each lies from the
// frame before.
class FrameMeasuring {
 public:
  FrameMeasuring(const Shoot& shoot, ProxyStore& store, bool shifts, Measured& out)
      : frames_(shoot.sequence.frames),
        store_(store),
        shifts_(shifts),
        out_(out),
        problems_(frames_.size()) {}

  // Frames [start, end); one_more() after each.
  void run(int start, int end, const std::function<void()>& one_more, const Work& work) {
    Prepared before;
    for (int k = start - 1; shifts_ && k >= 0 && before.levels.empty() && !work.stop(); --k)
      if (frames_[k].usable())
        if (const auto head = store_.head(frames_[k]))
          before = prepare_shift(green_of(head->thumbnail));
    for (int i = start; i < end && !work.stop(); ++i, one_more())
      if (frames_[i].usable()) measure(i, before);
  }
  // Of each frame that could not be read.
  const std::vector<std::optional<Error>>& problems() const { return problems_; }

 private:
  void measure(int i, Prepared& before) {
    auto head = store_.head(frames_[i], shifts_);
    if (!head) {
      problems_[i] = head.error();
      return;
    }
    Shift shift;
    if (shifts_) {
      Prepared here = prepare_shift(green_of(head->thumbnail));
      shift = measure_shift(before, here);
      const double width = head->thumbnail.width;
      shift.dx /= width, shift.dy /= width;
      before = std::move(here);
    }
    out_.grids[i] = std::move(head->grid);
    out_.signs[i] = FrameSigns{std::move(head->detail), shift};
  }

  const std::vector<FrameInfo>& frames_;
  ProxyStore& store_;
  bool shifts_;
  Measured& out_;
  std::vector<std::optional<Error>> problems_;
};

// Runs of frames that are not measured yet. A run is one piece of work: only the frame before it is
// read twice, to tell how far the first lies from it.
std::vector<std::pair<int, int>> missing_runs(const Shoot& shoot, const Measured& known) {
  constexpr int kRun = 24;
  std::vector<std::pair<int, int>> out;
  for (int i = 0; i < shoot.frame_count(); ++i) {
    if (known.grids[i] || !shoot.sequence.frames[i].usable()) continue;
    if (!out.empty() && out.back().second == i && i - out.back().first < kRun)
      ++out.back().second;
    else
      out.emplace_back(i, i + 1);
  }
  return out;
}

// What is not measured yet, in parallel; marks what cannot be read.
void measure_missing(Shoot& shoot, ProxyStore& store, bool shifts, Measured& out,
                     const Work& work) {
  const int n = shoot.frame_count();
  out.grids.resize(n);
  out.signs.resize(n);
  const auto runs = missing_runs(shoot, out);
  int total = 0;
  for (const auto& [first, end] : runs) total += end - first;
  FrameMeasuring measuring(shoot, store, shifts, out);
  std::atomic<int> done{0};
  parallel_ranges(static_cast<int>(runs.size()), 1, [&](int first_run, int last_run) {
    for (int k = first_run; k < last_run; ++k)
      measuring.run(
          runs[k].first, runs[k].second, [&] { work.report(++done, total); }, work);
  });
  for (int i = 0; i < n; ++i)
    if (const auto& problem = measuring.problems()[i])
      set_problem(shoot.sequence.frames[i], *problem);
}

}  // namespace

std::vector<int> kept_frames(const Shoot& shoot, std::size_t measured) {
  std::vector<int> out;
  const int n = std::min(shoot.frame_count(), static_cast<int>(measured));
  for (int i = 0; i < n; ++i)
    if (is_kept(shoot, i)) out.push_back(i);
  return out;
}

Measured measure_frames(Shoot& shoot, ProxyStore& store, const Work& work, Measured known) {
  const bool anew = known.grids.empty();
  Measured out = std::move(known);
  auto checks = anew ? load_checks(shoot) : std::nullopt;
  measure_missing(shoot, store, !checks, out, work);
  if (work.stop()) return out;
  if (checks) {
    for (int i = 0; i < shoot.frame_count(); ++i)
      if (out.signs[i]) out.signs[i]->shift = checks->shifts[i];
    out.suspects = std::move(checks->suspects);
    return out;
  }
  out.suspects = find_suspects(shoot.sequence.frames, out.grids, out.signs);
  Checks found{{}, out.suspects};
  for (const auto& s : out.signs) found.shifts.push_back(s ? s->shift : Shift{});
  // What is away for a moment is no finding to remember.
  const auto& frames = shoot.sequence.frames;
  if (std::none_of(frames.begin(), frames.end(), [](const FrameInfo& f) { return f.away; }))
    save_checks(shoot, found);
  return out;
}

LightGrids measure_light(Shoot& shoot, ProxyStore& store, const Work& work) {
  Measured out;
  measure_missing(shoot, store, false, out, work);
  return std::move(out.grids);
}

// Some of the frames, ascending.
static CellLight of_frames(CellLight cells, const std::vector<int>& frames) {
  float* to = cells.stops.data();
  for (int f : frames) to = std::copy_n(cells.frame(f), CellLight::kCells, to);
  cells.frames = static_cast<int>(frames.size());
  return cells;
}

AsShot light_as_shot(const Shoot& shoot, const LightGrids& grids) {
  const int n = shoot.frame_count();
  const auto& area = shoot.decisions.deflicker.steady_area;
  std::vector<const LightGrid*> pointers;
  for (int i = 0; i < n; ++i)
    pointers.push_back(grids[i] && !is_set_aside(shoot, i) ? &*grids[i] : nullptr);
  CellLight cells = cell_light(pointers, area);
  AsShot out{measure_brightness(cells), std::vector<double>(n, 0.0)};
  // Steps are taken off before flicker is looked for, and given back after.
  std::vector<int> seen;
  std::vector<FrameInfo> frames;
  std::vector<double> brightness;
  for (int i = 0; i < n; ++i) {
    if (!pointers[i] || std::isnan(out.stops[i])) continue;
    seen.push_back(i);
    frames.push_back(shoot.sequence.frames[i]);
    brightness.push_back(out.stops[i]);
  }
  const std::vector<double> axis = time_axis(frames);
  const std::vector<double> stair =
      level(frames, axis, brightness, std::vector<double>(seen.size(), 0.0), {}).stair;
  const Flicker flicker = find_flicker(of_frames(std::move(cells), seen), axis, stair);
  if (flicker.course.empty()) return out;
  std::vector<double> apart;
  for (std::size_t k = 0; k < seen.size(); ++k)
    if (!std::isnan(flicker.course[k]))
      apart.push_back(brightness[k] - flicker.course[k] - stair[k]);
  const double level_of_all = median(apart);
  for (std::size_t k = 0; k < seen.size(); ++k) {
    if (std::isnan(flicker.course[k])) continue;
    out.stops[seen[k]] = flicker.course[k] + stair[k] + level_of_all;
    out.agreement[seen[k]] = flicker.agreement[k];
  }
  return out;
}

LightPlan plan_light(const Shoot& shoot, const LightGrids& grids, const AsShot& as_shot) {
  const int n = shoot.frame_count();
  LightPlan plan;
  plan.as_shot = as_shot.stops;
  plan.levelled = plan.deflickered = plan.goal = std::vector<double>(n, kUnknown);
  plan.level_correction = plan.flicker_correction = std::vector<double>(n, 0.0);

  const std::vector<int> known = kept_frames(shoot, as_shot.stops.size());
  std::vector<FrameInfo> frames;
  std::vector<double> brightness, clipped, agreement;
  for (int i : known) {
    frames.push_back(shoot.sequence.frames[i]);
    brightness.push_back(as_shot.stops[i]);
    agreement.push_back(as_shot.agreement[i]);
    clipped.push_back(grids[i] ? clipped_share(*grids[i]) : 0);
  }
  const std::vector<double> axis = time_axis(frames);
  plan.level = level(frames, axis, brightness, clipped, shoot.decisions.level);
  for (std::size_t k = 0; k < known.size(); ++k) brightness[k] += plan.level.correction[k];
  plan.deflicker = deflicker(axis, brightness, shoot.decisions.deflicker, agreement);
  for (std::size_t k = 0; k < known.size(); ++k) {
    const int i = known[k];
    plan.level_correction[i] = plan.level.correction[k];
    plan.flicker_correction[i] = plan.deflicker.correction[k];
    plan.levelled[i] = brightness[k];
    plan.deflickered[i] = brightness[k] + plan.deflicker.correction[k];
    plan.goal[i] = plan.deflicker.goal[k];
  }
  std::vector<const LightGrid*> seen;
  std::vector<double> without, with;
  for (std::size_t k = 0; k < known.size(); ++k) {
    const int i = known[k];
    seen.push_back(grids[i] ? &*grids[i] : nullptr);
    without.push_back(plan.level_correction[i]);
    with.push_back(plan.correction(i));
  }
  plan.left = measure_flicker_left(seen, axis, without, with);
  // Summaries speak of frames of the sequence, not of the measured ones.
  auto translate = [&](int& k) { k = k >= 0 ? known[k] : k; };
  for (auto& s : plan.level.steps) translate(s.at);
  for (int& k : plan.level.beyond_data) translate(k);
  for (int& k : plan.deflicker.limited) translate(k);
  translate(plan.deflicker.largest_at);
  return plan;
}

LightPlan plan_light(const Shoot& shoot, const LightGrids& grids) {
  return plan_light(shoot, grids, light_as_shot(shoot, grids));
}

void set_airlight(Shoot& shoot, ProxyStore& store, const LightPlan& plan, int frame) {
  const auto proxy = store.get(shoot.sequence.frames[frame]);
  if (!proxy) return;
  Look& look = values_at_key(shoot, frame);
  const auto air = airlight_of(**proxy, look, plan.correction(frame));
  look[Param::airlight_red] = air[0];
  look[Param::airlight_green] = air[1];
  look[Param::airlight_blue] = air[2];
}

void propose_at(Shoot& shoot, ProxyStore& store, const LightPlan& plan, int frame) {
  const auto proxy = store.get(shoot.sequence.frames[frame]);
  if (!proxy) return;
  Look& look = values_at_key(shoot, frame);
  look = propose_look(**proxy, look, plan.correction(frame));
}

}  // namespace tsukimi
