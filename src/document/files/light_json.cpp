// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/light_json.h"

#include <algorithm>

#include "document/files/framing_json.h"
#include "document/files/keys_json.h"

namespace tsukimi {
using nlohmann::json;
namespace {

constexpr double kMostStepStops = 20, kMostEveningStops = 10, kLeastArea = 1e-4;

json to_json(const SteadyArea& area) {
  json out{{"shape", kAreaShapes[area.shape].name}, {"leave_out", area.leave_out}};
  if (area.shape != AreaShape::freehand) {
    out["box"] = to_json(area.box);
    return out;
  }
  out["outline"] = json::array();
  for (const Point& p : area.outline) out["outline"].push_back(json::array({p.x, p.y}));
  return out;
}

std::vector<Point> read_outline(const Fields& f) {
  std::vector<Point> out;
  for (const json& p : f.list("outline")) {
    const auto is_part = [](const json& v) { return v.is_number() && v >= 0.0 && v <= 1.0; };
    if (!p.is_array() || p.size() != 2 || !is_part(p[0]) || !is_part(p[1]))
      f.wrong("outline", "must be a list of [x, y] within the frame");
    out.push_back({p[0], p[1]});
  }
  if (out.size() < 3) f.wrong("outline", "has fewer than three corners");
  return out;
}

SteadyArea read_area(const Fields& f) {
  const AreaShape shape = f.choice("shape", kAreaShapes);
  const bool leave_out = f.has("leave_out") && f.flag("leave_out");
  if (shape != AreaShape::freehand) {
    f.nothing_but({"shape", "leave_out", "box"});
    return {shape, read_rect(f, "box", kLeastArea), {}, leave_out};
  }
  f.nothing_but({"shape", "leave_out", "outline"});
  SteadyArea out = freehand_area(read_outline(f), leave_out);
  if (out.box.w < kLeastArea || out.box.h < kLeastArea) f.wrong("outline", "is too small");
  return out;
}

// What stands at a frame each.
template <typename T>
void in_order(std::vector<T>& list) {
  std::ranges::sort(list, {}, &T::frame);
}

}  // namespace

json to_json(const LevelSettings& level, const Sequence& sequence) {
  json steps = json::array(), evening = json::array();
  for (const StepChoice& c : level.choices) {
    steps.push_back({{"frame", sequence.place_of(c.frame)}, {"use", kStepUses[c.use].name}});
    if (c.use == StepUse::by_hand) steps.back()["stops"] = c.stops;
  }
  for (const EveningHandle& h : level.evening)
    evening.push_back({{"frame", sequence.place_of(h.frame)}, {"stops", h.stops}});
  return {{"on", level.on},
          {"follow_light", level.follow_light},
          {"find_steps", level.find_steps},
          {"steps", steps},
          {"evening", evening}};
}

LevelSettings read_level(const Fields& f, int frames) {
  LevelSettings out;
  out.on = f.flag("on");
  out.follow_light = f.number("follow_light", 0, 1);
  if (f.has("find_steps")) out.find_steps = f.flag("find_steps");
  if (f.has("steps"))
    each_key(f, "steps", frames, [&](const Fields& step, FrameId frame) {
      StepChoice choice{frame, step.choice("use", kStepUses), 0};
      if (choice.use == StepUse::by_hand)
        choice.stops = step.number("stops", -kMostStepStops, kMostStepStops);
      out.choices.push_back(choice);
    });
  if (f.has("evening"))
    each_key(f, "evening", frames, [&](const Fields& handle, FrameId frame) {
      out.evening.push_back({frame, handle.number("stops", -kMostEveningStops, kMostEveningStops)});
    });
  in_order(out.choices);
  in_order(out.evening);
  return out;
}

json to_json(const DeflickerSettings& deflicker, const Sequence& sequence) {
  json areas = json::array(), softened = json::array();
  for (const SteadyArea& area : deflicker.areas) areas.push_back(to_json(area));
  for (const SoftenedEvent& e : deflicker.softened)
    softened.push_back({{"frame", sequence.place_of(e.frame)}, {"share", e.share}});
  return {{"on", deflicker.on},
          {"period", deflicker.period},
          {"limit", deflicker.limit},
          {"uneven", kUnevens[deflicker.uneven].name},
          {"colour", kUnevens[deflicker.colour].name},
          {"areas", areas},
          {"softened", softened}};
}

DeflickerSettings read_deflicker(const Fields& f, int frames) {
  DeflickerSettings out;
  out.on = f.flag("on");
  out.period = f.number("period", 3, 400);
  out.limit = f.number("limit", 0, 5);
  if (f.has("uneven")) out.uneven = f.choice("uneven", kUnevens);
  if (f.has("colour")) out.colour = f.choice("colour", kUnevens);
  // Before schema 7 there was one rectangle.
  if (f.has("steady_area"))
    out.areas.push_back({AreaShape::rectangle, read_rect(f, "steady_area", kLeastArea), {}, false});
  if (f.has("areas"))
    for (const json& area : f.list("areas"))
      out.areas.push_back(
          read_area(Fields(area, f.name("areas[" + std::to_string(out.areas.size()) + "]"))));
  if (f.has("softened"))
    each_key(f, "softened", frames, [&](const Fields& event, FrameId frame) {
      out.softened.push_back({frame, event.number("share", 0, 1)});
    });
  in_order(out.softened);
  return out;
}

}  // namespace tsukimi
