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

// The frames that light is looked for in.
struct Seen {
  std::vector<int> at;  // their places in the sequence, ascending
  std::vector<FrameInfo> frames;
  std::vector<const LightGrid*> grids;
  std::vector<double> brightness;
};

// What was found of some frames, for all.
static std::vector<double> spread(const std::vector<double>& found, const std::vector<int>& at,
                                  std::size_t all, double for_others) {
  std::vector<double> out(all, for_others);
  for (std::size_t k = 0; k < at.size(); ++k) out[at[k]] = found[k];
  return out;
}

AsShot light_as_shot(const Shoot& shoot, const LightGrids& grids) {
  const auto n = static_cast<std::size_t>(shoot.frame_count());
  const DeflickerSettings& settings = shoot.decisions.deflicker;
  std::vector<const LightGrid*> pointers;
  for (int i = 0; i < shoot.frame_count(); ++i)
    pointers.push_back(grids[i] && !is_set_aside(shoot, i) ? &*grids[i] : nullptr);
  CellLight cells = cell_light(pointers, std::nullopt);
  const auto& area = settings.steady_area;
  AsShot out{measure_brightness(area ? cell_light(pointers, area) : cells),
             std::vector<double>(n, 0.0),
             0,
             {},
             {}};
  Seen seen;
  for (int i = 0; i < shoot.frame_count(); ++i) {
    if (!pointers[i] || std::isnan(out.stops[i])) continue;
    seen.at.push_back(i);
    seen.frames.push_back(shoot.sequence.frames[i]);
    seen.grids.push_back(pointers[i]);
    seen.brightness.push_back(out.stops[i]);
  }
  // Steps are taken off before flicker is looked for, and given back after.
  const std::vector<double> axis = time_axis(seen.frames);
  LevelSettings leave = shoot.decisions.level;
  leave.on = false;
  const std::vector<double> stair =
      level(seen.frames, axis, seen.brightness, std::vector<double>(seen.at.size(), 0.0), leave)
          .stair;
  Flicker flicker =
      find_flicker(of_frames(std::move(cells), seen.at), axis, stair, settings.uneven);
  for (FlickerShape& shape : flicker.shapes) {
    out.shapes.push_back(shape);
    out.shapes.back().amounts = spread(shape.amounts, seen.at, n, kUnknown);
  }
  const ColourFlicker colours =
      find_colour_flicker(seen.grids, flicker, axis, stair, settings.colour);
  for (std::size_t c = 0; c < colours.size(); ++c)
    if (!colours[c].empty()) out.colours[c] = spread(colours[c], seen.at, n, kUnknown);
  if (area) {
    // Whoever drew an area has said what is steady; the shapes are the whole picture's.
    CellLight there = cell_light(seen.grids, area);
    remove_shapes(there, flicker.shapes);
    flicker = find_flicker(there, axis, stair, Uneven::off);
  }
  if (flicker.course.empty()) return out;
  out.noise = flicker.noise;
  std::vector<double> apart;
  for (std::size_t k = 0; k < seen.at.size(); ++k)
    if (!std::isnan(flicker.course[k]))
      apart.push_back(seen.brightness[k] - flicker.course[k] - stair[k]);
  const double level_of_all = median(apart);
  for (std::size_t k = 0; k < seen.at.size(); ++k) {
    if (std::isnan(flicker.course[k])) continue;
    out.stops[seen.at[k]] = flicker.course[k] + stair[k] + level_of_all;
    out.agreement[seen.at[k]] = flicker.agreement[k];
  }
  return out;
}

Light LightPlan::light(int frame) const {
  Light out{correction(frame), {}, {}};
  if (frame >= static_cast<int>(level_correction.size())) return out;
  for (const FlickerShape& shape : shapes)
    if (shape.amounts[frame] != 0) out.field.add(shape.field, shape.amounts[frame]);
  for (std::size_t c = 0; c < colours.size(); ++c)
    if (!colours[c].empty()) out.channel_stops[c] = colours[c][frame];
  return out;
}

// Frames that take part in a plan.
struct Planned {
  std::vector<int> at;  // their places in the sequence, ascending
  std::vector<FrameInfo> frames;
  std::vector<const LightGrid*> grids;
  std::vector<double> brightness, clipped, agreement, axis;
};

static Planned planned(const Shoot& shoot, const LightGrids& grids, const AsShot& as_shot) {
  Planned out;
  out.at = kept_frames(shoot, as_shot.stops.size());
  for (int i : out.at) {
    out.frames.push_back(shoot.sequence.frames[i]);
    out.grids.push_back(grids[i] ? &*grids[i] : nullptr);
    out.brightness.push_back(as_shot.stops[i]);
    out.agreement.push_back(as_shot.agreement[i]);
    out.clipped.push_back(grids[i] ? clipped_share(*grids[i]) : 0);
  }
  out.axis = time_axis(out.frames);
  return out;
}

// What takes a course of the sequence's frames to what is slower than the period, for those that
// are kept; 0 for the others.
static std::vector<double> fast_taken_out(const std::vector<double>& course, const Planned& kept,
                                          double period) {
  std::vector<double> here;
  for (int i : kept.at) here.push_back(course[i]);
  return spread(fast_taken_out(here, kept.axis, period), kept.at, course.size(), 0);
}

static double percent_of(double stops) { return 100 * (std::exp2(stops) - 1); }

static double rms(const std::vector<double>& v, std::size_t count) {
  double squares = 0;
  for (double x : v) squares += x * x;
  return count > 0 ? std::sqrt(squares / static_cast<double>(count)) : 0;
}

// Takes out of the shapes and colours as shot what is faster than the period, and says what it is.
static void correct_uneven(const AsShot& as_shot, const Planned& kept, double period,
                           LightPlan& plan) {
  double bands = 0;
  for (const FlickerShape& shape : as_shot.shapes) {
    plan.shapes.push_back({shape.kind, shape.field, fast_taken_out(shape.amounts, kept, period)});
    const double size = shape.field.rms() * rms(plan.shapes.back().amounts, kept.at.size());
    if (shape.kind == FlickerKind::part)
      plan.found.push_back({shape.kind, percent_of(size), {}});
    else if (bands == 0)
      plan.found.insert(plan.found.begin(), {shape.kind, 0, shape.field.wave}), bands = size;
    else
      plan.found.front().percent = percent_of(std::hypot(bands, size));
  }
  double colours = 0;
  for (std::size_t c = 0; c < plan.colours.size(); ++c) {
    if (as_shot.colours[c].empty()) continue;
    plan.colours[c] = fast_taken_out(as_shot.colours[c], kept, period);
    colours = std::hypot(colours, rms(plan.colours[c], kept.at.size()) / std::sqrt(3.0));
  }
  if (colours > 0) plan.found.push_back({FlickerKind::colour, percent_of(colours), {}});
}

static FlickerLeft left_by(const LightPlan& plan, const Planned& kept) {
  std::vector<double> with = plan.level.correction;
  for (std::size_t k = 0; k < with.size(); ++k) with[k] += plan.deflicker.correction[k];
  std::vector<BlockPattern> patterns;
  for (const FlickerShape& shape : plan.shapes) {
    BlockPattern pattern;
    for (int y = 0; y < BlockPattern::kDown; ++y)
      for (int x = 0; x < BlockPattern::kAcross; ++x)
        pattern.at_block.push_back(shape.field.stops_at((x + 0.5) / BlockPattern::kAcross,
                                                        (y + 0.5) / BlockPattern::kDown));
    for (int i : kept.at) pattern.amounts.push_back(shape.amounts[i]);
    patterns.push_back(std::move(pattern));
  }
  return measure_flicker_left(kept.grids, kept.axis, plan.level.correction, with, patterns);
}

LightPlan plan_light(const Shoot& shoot, const LightGrids& grids, const AsShot& as_shot) {
  const int n = shoot.frame_count();
  const DeflickerSettings& settings = shoot.decisions.deflicker;
  LightPlan plan;
  plan.as_shot = as_shot.stops;
  plan.levelled = plan.deflickered = plan.goal = std::vector<double>(n, kUnknown);
  plan.level_correction = plan.flicker_correction = std::vector<double>(n, 0.0);

  Planned kept = planned(shoot, grids, as_shot);
  auto& brightness = kept.brightness;
  plan.level = level(kept.frames, kept.axis, brightness, kept.clipped, shoot.decisions.level);
  for (std::size_t k = 0; k < kept.at.size(); ++k) brightness[k] += plan.level.correction[k];
  plan.deflicker = deflicker(kept.axis, brightness, settings, kept.agreement);
  plan.noise_percent = percent_of(as_shot.noise);
  correct_uneven(as_shot, kept, settings.period, plan);
  if (!settings.on) plan.shapes.clear(), plan.colours = {};
  plan.left = left_by(plan, kept);
  // Where flicker is not one factor for the whole frame, taking it out of one part puts it into
  // another: better as it was. Who drew an area has said which part counts; in few frames (no
  // agreement is known) the evening itself looks like flicker.
  constexpr double kMostWorse = 0.1;  // of the picture
  const bool may_hold = !settings.steady_area &&
                        std::ranges::any_of(kept.agreement, [](double share) { return share > 0; });
  if (may_hold && plan.left.worse_share > kMostWorse) {
    hold_back(plan.deflicker, kept.agreement);
    plan.shapes.clear();
    plan.left = left_by(plan, kept);
  }
  for (std::size_t k = 0; k < kept.at.size(); ++k) {
    const int i = kept.at[k];
    plan.level_correction[i] = plan.level.correction[k];
    plan.flicker_correction[i] = plan.deflicker.correction[k];
    plan.levelled[i] = brightness[k];
    plan.deflickered[i] = brightness[k] + plan.deflicker.correction[k];
    plan.goal[i] = plan.deflicker.goal[k];
  }
  // Summaries speak of frames of the sequence, not of the measured ones.
  auto translate = [&](int& k) { k = k >= 0 ? kept.at[k] : k; };
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
