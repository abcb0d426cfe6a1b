// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/light_report.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/format.h"
#include "base/text.h"
#include "document/light_edit.h"
#include "document/pace/kept_frames.h"
#include "output/svg_chart.h"

namespace tsukimi {
namespace {

constexpr const char* kStyle = R"(<style>
body{background:#12161d;color:#d9d6cd;font:15px/1.5 sans-serif;max-width:980px;margin:2em auto;padding:0 1em}
h1{font-weight:500;margin-bottom:0}h2{font-weight:500;margin-top:2em}small,.quiet{color:#8f949c}
svg{width:100%;background:#181d26;margin:.6em 0}svg text{fill:#8f949c;font-size:12px}svg .title{fill:#d9d6cd}
svg path{fill:none;stroke-width:1.3}.grid{stroke:#2a303b}.mark{stroke:#c8664f;stroke-dasharray:3 3}
table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.15em .8em .15em 0;border-bottom:1px solid #2a303b}
td.n{text-align:right;font-variant-numeric:tabular-nums}figure{display:inline-block;margin:.4em .8em .4em 0}img{display:block;max-width:300px}
</style>)";

constexpr const char *kShot = "#7d8797", *kMoon = "#e8d48a", *kGoal = "#7fb6a6", *kRust = "#c8664f";

std::string base64(const std::vector<std::uint8_t>& bytes) {
  constexpr char kLetters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string out;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    unsigned group = 0;
    for (std::size_t k = 0; k < 3; ++k)
      group = group << 8 | (i + k < bytes.size() ? bytes[i + k] : 0);
    for (std::size_t k = 0; k < 4; ++k)
      out += i + k <= bytes.size() ? kLetters[group >> (18 - 6 * k) & 63] : '=';
  }
  return out;
}

std::string name_of(const Shoot& shoot, int frame) {
  return markup(shoot.sequence.frames[frame].file);
}

std::string camera_words(const FrameInfo& f) {
  std::string out;
  if (f.shutter > 0)
    out += f.shutter < 0.3 ? format("1/%.0f s", 1 / f.shutter) : format("%.4g s", f.shutter);
  if (f.aperture > 0) out += format(" f/%.4g", f.aperture);
  if (f.iso > 0) out += format(" ISO %.0f", f.iso);
  return out.empty() ? "untold" : out;
}

std::string statement(const Shoot& shoot, const LightPlan& plan) {
  const DeflickerSettings& flicker = shoot.decisions.deflicker;
  std::string out = format("<p>Flicker %.2f %%", plan.left.before_median);
  if (flicker.on) out += format(", now %.2f %%", plan.left.left_median);
  if (plan.noise_percent > 0) out += format("; the noise allows %.2f %%", plan.noise_percent);
  out += format(". In the worst tenth of the picture %.2f %%", plan.left.before_p90);
  if (flicker.on) out += format(", now %.2f %%", plan.left.left_p90);
  out += ".";
  if (flicker.on)
    out += plan.left.worse_share < 0.005
               ? " Nothing got worse."
               : format(" It got worse in %.0f %% of the picture.", 100 * plan.left.worse_share);
  if (plan.deflicker.held)
    out += " Parts of the picture flicker apart, so that only frames that stand out are corrected.";
  for (const FlickerFound& one : plan.found) {
    out += "<br>";
    switch (one.kind) {
      case FlickerKind::bands:
        out += format("Bands: %.2f of them over the %s, %.2f %%.", one.wave.cycles,
                      one.wave.across ? "width" : "height", one.percent);
        break;
      case FlickerKind::part:
        out += format("A part of the picture flickers by itself, %.2f %%.", one.percent);
        break;
      case FlickerKind::colour:
        out += format("The colours flicker apart, %.2f %%.", one.percent);
        break;
    }
  }
  return out + "</p>\n";
}

// 0 without a sign of less than nothing.
double no_minus(double stops) { return std::fabs(stops) < 0.0005 ? 0 : stops; }

// Why a step is not taken out as it was measured.
const char* how_chosen(StepUse use) {
  switch (use) {
    case StepUse::measured:
      return "";
    case StepUse::nominal:
      return " (as told)";
    case StepUse::by_hand:
      return " (by hand)";
    case StepUse::ignored:
      return " (ignored)";
  }
  return "";
}

std::string steps_table(const Shoot& shoot, const LightPlan& plan) {
  const auto& steps = plan.level.steps;
  if (steps.empty()) return "<p>The camera kept one exposure.</p>\n";
  std::string out =
      format("<p>%zu steps%s, ", steps.size(),
             plan.level.found_in_picture ? ", found in the pictures" : "") +
      (shoot.decisions.level.on
           ? format("levelled; largest correction %.2f stops.", plan.level.largest_correction)
           : std::string("which are still in the film.")) +
      "</p>\n<table><tr><th>Frame</th><th>File</th><th>Set to</th><th>Told, stops</th>"
      "<th>Measured, stops</th><th>Taken out, stops</th></tr>\n";
  for (const LevelStep& step : steps)
    out += format("<tr><td>%d</td><td>", step.at + 1) + name_of(shoot, step.at) + "</td><td>" +
           camera_words(shoot.sequence.frames[step.at]) + "</td>" +
           format("<td class=n>%+.3f</td><td class=n>%+.3f</td>", no_minus(step.nominal),
                  no_minus(step.measured)) +
           format("<td class=n>%+.3f%s</td></tr>\n",
                  shoot.decisions.level.on ? no_minus(step.taken) : 0, how_chosen(step.use));
  return out + "</table>\n";
}

// Stops of the shapes and colours of every frame's correction, over the frame.
std::vector<double> uneven_course(const LightPlan& plan) {
  std::vector<double> out;
  for (int i = 0; i < static_cast<int>(plan.as_shot.size()); ++i) {
    const Light light = plan.light(i);
    double square = std::pow(light.field.rms(), 2);
    for (double c : light.channel_stops) square += c * c / 3;
    out.push_back(std::sqrt(square));
  }
  return out;
}

// Events are kept unless somebody decides otherwise.
std::string decided_about(const Shoot& shoot, const Suspect& suspect) {
  if (is_set_aside(shoot, suspect.frame)) return "set aside";
  const double softened = softened_share(shoot, suspect.frame);
  if (softened > 0) return format("softened by %.0f %%", 100 * softened);
  return is_event(suspect.kind) || is_looked_at(shoot, suspect.frame) ? "kept" : "not yet";
}

std::string suspects_table(const Shoot& shoot, const std::vector<Suspect>& suspects) {
  if (suspects.empty()) return "<p>No frame is suspect.</p>\n";
  std::string out = "<table><tr><th>Frame</th><th>File</th><th>Why</th><th>Decided</th></tr>\n";
  for (const Suspect& s : suspects) {
    out += format("<tr><td>%d</td><td>", s.frame + 1) + name_of(shoot, s.frame) + "</td><td>" +
           markup(s.reason) + "</td><td>" + decided_about(shoot, s) + "</td></tr>\n";
  }
  return out + "</table>\n";
}

std::string charts(const Shoot& shoot, const Measured& measured, const LightPlan& plan) {
  constexpr double kUnknown = std::numeric_limits<double>::quiet_NaN();
  const std::vector<int> kept = kept_frames(shoot, plan.as_shot.size());
  std::vector<double> stair(plan.as_shot.size(), kUnknown), ramp = stair, clipped;
  for (std::size_t k = 0; k < kept.size() && k < plan.level.stair.size(); ++k)
    stair[kept[k]] = plan.level.stair[k], ramp[kept[k]] = plan.level.ramp[k];
  for (const auto& grid : measured.grids)
    clipped.push_back(grid ? 100 * clipped_share(*grid) : kUnknown);
  std::vector<int> suspects;
  for (const Suspect& s : measured.suspects) suspects.push_back(s.frame);
  return svg_of({"Light",
                 "stops against clipping",
                 {{"as shot", kShot, plan.as_shot},
                  {"goal", kGoal, plan.goal},
                  {"developed", kMoon, plan.deflickered}},
                 suspects}) +
         svg_of({"The camera",
                 "stops of gain",
                 {{"stair", kShot, stair}, {"ramp", kMoon, ramp}},
                 {}}) +
         svg_of({"Corrections",
                 "stops",
                 {{"steps", kGoal, plan.level_correction},
                  {"flicker", kMoon, plan.flicker_correction},
                  {"bands, parts and colours (RMS)", kRust, uneven_course(plan)}},
                 plan.deflicker.limited}) +
         svg_of({"Clipped",
                 "% of the picture",
                 {{"clipped", kRust, clipped}},
                 plan.level.beyond_data});
}

std::string frame_list(const char* what, const std::vector<int>& frames) {
  if (frames.empty()) return {};
  std::string out = "<p>" + std::string(what);
  for (std::size_t i = 0; i < frames.size(); ++i)
    out += format("%s%d", i ? ", " : " ", frames[i] + 1);
  return out + ".</p>\n";
}

}  // namespace

std::string light_report(const Shoot& shoot, const Measured& measured, const LightPlan& plan,
                         const std::vector<ReportPicture>& pictures) {
  const std::string name = markup(shoot.sequence.folder.filename().string());
  std::string out =
      "<!doctype html>\n<html lang=en><head><meta charset=utf-8><title>Light of " + name +
      "</title>\n" + kStyle + "</head><body>\n<h1>" + name + "</h1>\n" +
      format("<p class=quiet>%d frames of %dx%d, %s to %s</p>\n", shoot.frame_count(),
             shoot.sequence.size.width, shoot.sequence.size.height, name_of(shoot, 0).c_str(),
             name_of(shoot, shoot.frame_count() - 1).c_str());
  out += statement(shoot, plan) + charts(shoot, measured, plan);
  out +=
      frame_list("More than the largest correction was needed in frames", plan.deflicker.limited);
  out += frame_list("Darkened although part of them is clipped: frames", plan.level.beyond_data);
  out += "<h2>Steps</h2>\n" + steps_table(shoot, plan);
  out += "<h2>Suspects</h2>\n" + suspects_table(shoot, measured.suspects);
  if (!pictures.empty()) out += "<h2>Key frames</h2>\n";
  for (const ReportPicture& p : pictures)
    out += "<figure><img alt=\"\" src=\"data:image/jpeg;base64," + base64(p.jpeg) +
           "\"><figcaption>" + format("Frame %d, ", p.frame + 1) + name_of(shoot, p.frame) +
           "</figcaption></figure>\n";
  return out + "</body></html>\n";
}

std::string light_table(const Shoot& shoot, const LightPlan& plan) {
  std::string out =
      "index,file,shutter_s,aperture,iso,as_shot,levelled,developed,level_correction,"
      "flicker_correction,uneven_rms,red,green,blue\n";
  auto number = [](double v, bool known) { return known ? format("%.6g", v) : std::string(); };
  const std::vector<double> uneven = uneven_course(plan);
  for (int i = 0; i < shoot.frame_count(); ++i) {
    const FrameInfo& f = shoot.sequence.frames[i];
    // RFC 4180: in quotes, and a quote twice.
    std::string file;
    for (char c : to_json_name(f.file)) file += c == '"' ? "\"\"" : std::string(1, c);
    out += std::to_string(i) + ",\"" + file + "\"," + number(f.shutter, f.shutter > 0) + "," +
           number(f.aperture, f.aperture > 0) + "," + number(f.iso, f.iso > 0);
    for (double v : {plan.as_shot[i], plan.levelled[i], plan.deflickered[i]})
      out += "," + number(v, !std::isnan(v));
    for (double v : {plan.level_correction[i], plan.flicker_correction[i], uneven[i]})
      out += "," + number(v, true);
    for (double v : plan.light(i).channel_stops) out += "," + number(v, true);
    out += "\n";
  }
  return out;
}

}  // namespace tsukimi
