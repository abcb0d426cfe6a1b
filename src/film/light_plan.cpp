// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/light_plan.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/median.h"
#include "develop/propose.h"
#include "document/values.h"
#include "film/film.h"
#include "film/merge_plan.h"
#include "light/flicker.h"
#include "light/soften.h"

namespace tsukimi {
namespace {

constexpr double kUnknown = std::numeric_limits<double>::quiet_NaN();

}  // namespace

std::vector<int> kept_frames(const Shoot& shoot, std::size_t measured) {
  std::vector<int> out;
  const int n = std::min(shoot.frame_count(), static_cast<int>(measured));
  for (int i = 0; i < n; ++i)
    if (is_kept(shoot, i)) out.push_back(i);
  return out;
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

// What levelling takes for the camera's gain of frames that are seen.
static std::vector<double> stair_of(const Shoot& shoot, const Seen& seen,
                                    const std::vector<double>& axis) {
  LevelSettings leave = shoot.decisions.level;
  leave.on = false;
  leave.choices.clear();  // what was measured, whatever becomes of it
  return level(seen.frames, axis, seen.brightness, std::vector<double>(seen.at.size(), 0.0), leave)
      .stair;
}

AsShot light_as_shot(const Shoot& shoot, const LightGrids& grids) {
  const auto n = static_cast<std::size_t>(shoot.frame_count());
  const DeflickerSettings& settings = shoot.decisions.deflicker;
  std::vector<const LightGrid*> pointers;
  for (int i = 0; i < shoot.frame_count(); ++i)
    pointers.push_back(grids[i] && !is_set_aside(shoot, i) ? &*grids[i] : nullptr);
  // Whoever drew an area has said what is steady; shapes are the whole picture's, but for what is
  // left out.
  const bool drawn = names_steady(settings.areas);
  CellLight cells = cell_light(pointers, left_out(settings.areas));
  AsShot out;
  out.stops = measure_brightness(drawn ? cell_light(pointers, settings.areas) : cells);
  out.agreement.assign(n, 0.0);
  Seen seen;
  for (int i = 0; i < shoot.frame_count(); ++i) {
    if (!pointers[i] || std::isnan(out.stops[i])) continue;
    seen.at.push_back(i);
    seen.frames.push_back(shoot.sequence.frames[i]);
    seen.grids.push_back(pointers[i]);
    seen.brightness.push_back(out.stops[i]);
  }
  // Steps are taken off before flicker is looked for, and given back after.
  const std::vector<double> axis = time_axis(seen.frames), stair = stair_of(shoot, seen, axis);
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
  out.steady = flicker.steady;
  if (drawn) {
    CellLight there = cell_light(seen.grids, settings.areas);
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
  for (const Softened& event : softened)
    if (event.frame == frame) out.field.add(event.field, 1);
  return out;
}

LightPlan with_its_flicker(LightPlan plan) {
  std::ranges::fill(plan.flicker_correction, 0.0);
  plan.shapes.clear();
  plan.colours = {};
  plan.softened.clear();
  return plan;
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

// Against three kept frames on either side, of which none is an event that is softened.
static void soften_events(const Shoot& shoot, const LightGrids& grids, const Planned& kept,
                          LightPlan& plan) {
  constexpr int kSide = 3;
  const auto& events = shoot.decisions.deflicker.softened;
  const auto is_soft = [&](int i) {
    return std::ranges::find(events, shoot.sequence.frames[i].id, &SoftenedEvent::frame) !=
           events.end();
  };
  const auto stops_of = [&](int i) {
    std::vector<float> out(CellLight::kCells);
    for (int c = 0; c < CellLight::kCells; ++c)
      out[c] =
          cell_stops(*grids[i], c, CellChannel::light) + static_cast<float>(plan.correction(i));
    return out;
  };
  for (const SoftenedEvent& event : events) {
    const int frame = shoot.sequence.place_of(event.frame);
    const auto here = std::ranges::find(kept.at, frame);
    if (here == kept.at.end() || !grids[frame]) continue;
    const int k = static_cast<int>(here - kept.at.begin()), n = static_cast<int>(kept.at.size());
    std::vector<std::vector<float>> round_it;
    for (const int step : {-1, 1})
      for (int j = k + step, found = 0; j >= 0 && j < n && found < kSide; j += step)
        if (grids[kept.at[j]] && !is_soft(kept.at[j]))
          round_it.push_back(stops_of(kept.at[j])), ++found;
    LightPlan::Softened soft{frame, {}};
    soft.field.add(event_field(stops_of(frame), round_it), -event.share);
    plan.softened.push_back(std::move(soft));
  }
}

// Takes out what is faster than the period. kept.brightness: levelled.
static void remove_flicker(const DeflickerSettings& settings, const AsShot& as_shot,
                           const Planned& kept, LightPlan& plan) {
  plan.deflicker = deflicker(kept.axis, kept.brightness, settings, kept.agreement);
  plan.noise_percent = percent_of(as_shot.noise);
  correct_uneven(as_shot, kept, settings.period, plan);
  if (!settings.on) plan.shapes.clear(), plan.colours = {};
}

static void hold_back(const Planned& kept, LightPlan& plan) {
  hold_back(plan.deflicker, kept.agreement);
  plan.shapes.clear();
}

// What deflicker says of the frames that take part, for the frames of the sequence.
static void tell_flicker(const Planned& kept, LightPlan& plan) {
  for (std::size_t k = 0; k < kept.at.size(); ++k) {
    const int i = kept.at[k];
    plan.flicker_correction[i] = plan.deflicker.correction[k];
    plan.deflickered[i] = kept.brightness[k] + plan.deflicker.correction[k];
    plan.goal[i] = plan.deflicker.goal[k];
  }
  for (int& k : plan.deflicker.limited) k = kept.at[k];
  if (int& k = plan.deflicker.largest_at; k >= 0) k = kept.at[k];
}

static void tell_levelling(const Planned& kept, bool on, LightPlan& plan) {
  for (std::size_t k = 0; k < kept.at.size(); ++k) {
    const int i = kept.at[k];
    plan.level_correction[i] = plan.level.correction[k];
    plan.levelled[i] = kept.brightness[k];
    plan.stair[i] = plan.level.stair[k];
    if (on) plan.evening[i] = plan.level.evening[k];
  }
  for (LevelStep& step : plan.level.steps) step.at = kept.at[step.at];
  for (int& k : plan.level.beyond_data) k = kept.at[k];
}

LightPlan plan_light(const Shoot& shoot, const LightGrids& grids, const AsShot& as_shot) {
  const int n = shoot.frame_count();
  const DeflickerSettings& settings = shoot.decisions.deflicker;
  LightPlan plan;
  plan.as_shot = as_shot.stops;
  if (shoot.sequence.brackets.set_size > 1) plan.merging = plan_merging(shoot.sequence, grids);
  plan.levelled = plan.deflickered = plan.goal = plan.stair = std::vector<double>(n, kUnknown);
  plan.level_correction = plan.flicker_correction = plan.evening = std::vector<double>(n, 0.0);

  Planned kept = planned(shoot, grids, as_shot);
  plan.level = level(kept.frames, kept.axis, kept.brightness, kept.clipped, shoot.decisions.level);
  for (std::size_t k = 0; k < kept.at.size(); ++k) kept.brightness[k] += plan.level.correction[k];
  remove_flicker(settings, as_shot, kept, plan);
  plan.left = left_by(plan, kept);
  // Where flicker is not one factor for the whole frame, taking it out of one part puts it into
  // another: better as it was. Who drew an area has said which part counts; in few frames (no
  // agreement is known) the evening itself looks like flicker.
  constexpr double kMostWorse = 0.1;  // of the picture
  const bool may_hold = !names_steady(settings.areas) &&
                        std::ranges::any_of(kept.agreement, [](double share) { return share > 0; });
  if (may_hold && plan.left.worse_share > kMostWorse) {
    hold_back(kept, plan);
    plan.left = left_by(plan, kept);
  }
  tell_levelling(kept, shoot.decisions.level.on, plan);
  tell_flicker(kept, plan);
  soften_events(shoot, grids, kept, plan);
  return plan;
}

LightPlan plan_again(const Shoot& shoot, const LightPlan& before, const AsShot& as_shot) {
  LightPlan plan = before;
  plan.found.clear();
  plan.shapes.clear();
  plan.colours = {};
  Planned kept;
  kept.at = kept_frames(shoot, before.levelled.size());
  for (int i : kept.at) {
    kept.frames.push_back(shoot.sequence.frames[i]);
    kept.brightness.push_back(before.levelled[i]);
    kept.agreement.push_back(as_shot.agreement[i]);
  }
  kept.axis = time_axis(kept.frames);
  remove_flicker(shoot.decisions.deflicker, as_shot, kept, plan);
  if (before.deflicker.held) hold_back(kept, plan);
  tell_flicker(kept, plan);
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
