// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/light_options.h"

#include <algorithm>
#include <cmath>

#include "base/format.h"

namespace tsukimi::cli {
namespace {

// "x,y,w,h", "ellipse:x,y,w,h" or "freehand:x,y;x,y;x,y".
SteadyArea parse_steady(const std::string& text, const char* option, bool leave_out) {
  const auto colon = text.find(':');
  if (colon == text.npos) return {AreaShape::rectangle, parse_area(text, option), {}, leave_out};
  const std::string shape = text.substr(0, colon), rest = text.substr(colon + 1);
  if (shape == kAreaShapes[AreaShape::ellipse].name)
    return {AreaShape::ellipse, parse_area(rest, option), {}, leave_out};
  std::vector<Point> outline;
  bool good = shape == kAreaShapes[AreaShape::freehand].name;
  for (const std::string& corner : split(rest, ';')) {
    const auto parts = split(corner);
    Point p;
    good = good && parts.size() == 2 && parse_number(std::string_view(parts[0]), p.x) &&
           parse_number(std::string_view(parts[1]), p.y) && p.x >= 0 && p.x <= 1 && p.y >= 0 &&
           p.y <= 1;
    outline.push_back(p);
  }
  if (!good || outline.size() < 3)
    throw CLI::ValidationError(option, "\"" + text +
                                           "\" is none of x,y,w,h, ellipse:x,y,w,h and "
                                           "freehand:x,y;x,y;x,y in fractions of the frame");
  return freehand_area(std::move(outline), leave_out);
}

// "0.33@60": a number within these limits, and a frame.
std::pair<int, double> parse_number_at(const std::string& text, const char* option, double least,
                                       double most) {
  const AtFrame at = parse_at_frame(text);
  double value = 0;
  if (at.frame < 0 || !parse_number(std::string_view(at.what), value) ||
      !(value >= least && value <= most))
    throw CLI::ValidationError(option, "\"" + text + "\" is not NUMBER@FRAME with a number" +
                                           format(" from %g to %g", least, most));
  return {at.frame, value};
}

constexpr double kMostStep = 20, kMostEvening = 10;  // stops

std::pair<int, StepChoice> parse_step(const std::string& text) {
  const AtFrame at = parse_at_frame(text);
  if (at.frame >= 0)
    for (const auto& row : kStepUses)
      if (row.id != StepUse::by_hand && at.what == row.name)
        return {at.frame, {FrameId::none, row.id, 0}};
  const auto [frame, stops] = parse_number_at(text, "--step", -kMostStep, kMostStep);
  return {frame, {FrameId::none, StepUse::by_hand, stops}};
}

// Gives each its frame's id, in the order of frames.
template <typename T>
Result<std::vector<T>> placed(const Shoot& shoot, const std::vector<std::pair<int, T>>& list,
                              const char* option) {
  std::vector<T> out;
  for (const auto& [frame, one] : list) {
    const std::string name = "Frame " + std::to_string(frame) + " of " + option;
    if (frame >= shoot.frame_count())
      return fail(name + " is not in the sequence, which has frames 0 to " +
                  std::to_string(shoot.frame_count() - 1) + ".");
    T at = one;
    at.frame = shoot.sequence.id_of(frame);
    if (std::ranges::find(out, at.frame, &T::frame) != out.end())
      return fail(name + " is there twice.");
    out.push_back(at);
  }
  std::ranges::sort(out, {}, &T::frame);
  return out;
}

// The metadata tell whether the camera changed its exposure there; where they tell none, steps are
// found later.
Result<void> check_steps(const Shoot& shoot, const std::vector<std::pair<int, StepChoice>>& steps) {
  const auto& frames = shoot.sequence.frames;
  if (std::ranges::none_of(frames, gain_is_known)) return {};
  for (const auto& [frame, choice] : steps) {
    const auto at = static_cast<std::size_t>(frame);
    if (at == 0 ||
        (frames[at].shutter == frames[at - 1].shutter && frames[at].iso == frames[at - 1].iso &&
         frames[at].aperture == frames[at - 1].aperture))
      return fail("There is no step at frame " + std::to_string(frame) +
                  " that --step could choose: the camera kept its exposure.");
  }
  return {};
}

}  // namespace

void LightOptions::add_to(CLI::App& c) {
  const auto choices = kUnevens.names();
  const auto repeated = [&](const char* name, std::vector<std::string>& to, const char* what) {
    c.add_option(name, to, what)->expected(1)->take_all();
  };
  c.add_flag("--level,--steps", level_.on, "Level the camera's exposure steps");
  c.add_option("--follow-light,--night-depth", level_.follow_light,
               "0 keeps the held brightness, 1 shows the light as it fell")
      ->check(CLI::Range(0.0, 1.0));
  repeated("--step", step_texts_,
           "What is taken out of the step at a frame: measured@FRAME, nominal@FRAME, "
           "ignored@FRAME or STOPS@FRAME; may be repeated");
  repeated(
      "--evening", evening_texts_,
      "STOPS@FRAME: brighter there than levelling makes it; may be repeated, and runs smoothly "
      "between");
  c.add_flag("!--no-metadata-steps", level_.find_steps,
             "Where no metadata tell the exposure, look for no steps in the pictures");
  c.add_option("--deflicker,--keep-slower-than", period_,
               "Remove flicker; changes slower than this are kept, in frames")
      ->check(CLI::Range(3.0, 400.0));
  c.add_option("--limit", deflicker_.limit,
               "Largest correction of a frame in which less than three quarters of the picture "
               "agree, in stops")
      ->check(CLI::Range(0.0, 5.0));
  c.add_option("--uneven", uneven_,
               "Bands and parts of the picture that flicker apart: auto, on (also faint ones), off")
      ->check(CLI::IsMember(choices));
  c.add_option("--colour-flicker", colour_, "Colours that flicker apart: auto, on, off")
      ->check(CLI::IsMember(choices));
  repeated("--steady-area", steady_,
           "x,y,w,h in fractions of the frame, ellipse:x,y,w,h or freehand:x,y;x,y;x,y: what does "
           "not change from frame to frame; may be repeated");
  repeated("--leave-out", left_out_, "An area, as above, in which flicker is not measured");
  repeated("--soften", soft_texts_,
           "SHARE@FRAME: of lightning or a passing lamp at that frame this share (0 to 1) is taken "
           "out where it shines; may be repeated");
}

void LightOptions::parse() {
  deflicker_.on = period_ > 0;
  if (deflicker_.on) deflicker_.period = period_;
  deflicker_.uneven = kUnevens.named(uneven_);
  deflicker_.colour = kUnevens.named(colour_);
  deflicker_.areas.clear();
  for (const auto& text : steady_)
    deflicker_.areas.push_back(parse_steady(text, "--steady-area", false));
  for (const auto& text : left_out_)
    deflicker_.areas.push_back(parse_steady(text, "--leave-out", true));
  for (const auto& text : step_texts_) steps_.push_back(parse_step(text));
  for (const auto& text : evening_texts_) {
    const auto [frame, stops] = parse_number_at(text, "--evening", -kMostEvening, kMostEvening);
    evening_.push_back({frame, {FrameId::none, stops}});
  }
  for (const auto& text : soft_texts_) {
    const auto [frame, share] = parse_number_at(text, "--soften", 0, 1);
    soft_.push_back({frame, {FrameId::none, share}});
  }
}

Result<void> LightOptions::apply(Shoot& shoot) const {
  auto& d = shoot.decisions;
  d.level = level_;
  d.deflicker = deflicker_;
  auto steps = placed(shoot, steps_, "--step");
  if (!steps) return tl::unexpected(steps.error());
  if (auto ok = check_steps(shoot, steps_); !ok) return ok;
  auto evening = placed(shoot, evening_, "--evening");
  if (!evening) return tl::unexpected(evening.error());
  auto soft = placed(shoot, soft_, "--soften");
  if (!soft) return tl::unexpected(soft.error());
  d.level.choices = std::move(*steps);
  d.level.evening = std::move(*evening);
  d.deflicker.softened = std::move(*soft);
  return {};
}

}  // namespace tsukimi::cli
