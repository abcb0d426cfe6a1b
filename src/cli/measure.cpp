// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <iostream>
#include <nlohmann/json.hpp>
#include <numbers>

#include "cli/commands.h"
#include "document/files/shoot_file.h"
#include "film/light_plan.h"
#include "film/motion.h"
#include "output/light_report.h"

namespace tsukimi::cli {
namespace {

using nlohmann::json;

json stops(double v) { return std::isnan(v) ? json(nullptr) : json(v); }

json report_of(const MotionTrack& track, double width) {
  json out = json::array();
  for (std::size_t i = 0; i < track.frames.size(); ++i) {
    const Similarity& m = track.frames[i].move;
    out.push_back({{"index", i},
                   {"dx", m.dx * width},
                   {"dy", m.dy * width},
                   {"angle", m.angle * 180 / std::numbers::pi},
                   {"scale", std::exp(m.log_scale)},
                   {"known", track.frames[i].known}});
  }
  return out;
}

json report_of(const std::vector<FlickerFound>& found) {
  json out = json::array();
  for (const FlickerFound& one : found) {
    out.push_back({{"kind", kFlickerKinds[one.kind].name}, {"percent", one.percent}});
    if (one.kind == FlickerKind::bands) {
      out.back()["cycles"] = one.wave.cycles;
      out.back()["along"] = one.wave.across ? "width" : "height";
    }
  }
  return out;
}

std::string words_of(const FlickerFound& found) {
  char text[100];
  switch (found.kind) {
    case FlickerKind::bands:
      std::snprintf(text, sizeof text, "bands of %.2f %%, %.2f over the %s", found.percent,
                    found.wave.cycles, found.wave.across ? "width" : "height");
      break;
    case FlickerKind::part:
      std::snprintf(text, sizeof text,
                    "a part of the picture flickers by itself, %.2f %% of it all", found.percent);
      break;
    case FlickerKind::colour:
      std::snprintf(text, sizeof text, "colours flicker apart, %.2f %%", found.percent);
      break;
  }
  return text;
}

json report(const Shoot& shoot, const LightPlan& plan, const MotionTrack& motion) {
  json frames = json::array(), steps = json::array(), unusable = json::array();
  for (int i = 0; i < shoot.frame_count(); ++i) {
    const auto& f = shoot.sequence.frames[i];
    frames.push_back({{"index", i},
                      {"file", to_json_name(f.file)},
                      {"as_shot", stops(plan.as_shot[i])},
                      {"levelled", stops(plan.levelled[i])},
                      {"deflickered", stops(plan.deflickered[i])},
                      {"level_correction", plan.level_correction[i]},
                      {"flicker_correction", plan.flicker_correction[i]}});
    if (!f.usable())
      unusable.push_back({{"index", i}, {"file", to_json_name(f.file)}, {"problem", f.problem}});
  }
  for (const auto& s : plan.level.steps)
    steps.push_back({{"frame", s.at},
                     {"nominal", s.nominal},
                     {"measured", s.measured},
                     {"use", kStepUses[s.use].name},
                     {"taken", s.taken}});
  const double width = shoot.sequence.size.width;
  return {{"frames", frames},
          {"motion", report_of(motion, width)},
          {"motion_residual", motion.fit.left * width},
          {"motion_fits", !does_not_fit(motion.fit)},
          {"summary",
           {{"level",
             {{"on", shoot.decisions.level.on},
              {"steps", steps},
              {"found_in_picture", plan.level.found_in_picture},
              {"largest_correction", plan.level.largest_correction},
              {"scatter", plan.level.scatter},
              {"beyond_data", plan.level.beyond_data}}},
            {"deflicker",
             {{"on", shoot.decisions.deflicker.on},
              {"period", shoot.decisions.deflicker.period},
              {"before_percent", plan.deflicker.before_percent},
              {"before_median", plan.left.before_median},
              {"before_p90", plan.left.before_p90},
              {"left_median", plan.left.left_median},
              {"left_p90", plan.left.left_p90},
              {"worse_share", plan.left.worse_share},
              {"largest_correction", plan.deflicker.largest_correction},
              {"largest_at", plan.deflicker.largest_at},
              {"limited", plan.deflicker.limited},
              {"held", plan.deflicker.held},
              {"noise_limit", plan.noise_percent},
              {"kinds", report_of(plan.found)}}},
            {"unusable", unusable}}}};
}

void print_words(const LightPlan& plan) {
  std::printf("%zu exposure changes%s, largest correction %.2f stops\n", plan.level.steps.size(),
              plan.level.found_in_picture ? " found in the pictures" : "",
              plan.level.largest_correction);
  std::printf(
      "flicker in the pictures %.2f %% before, %.2f %% left (%.2f %% in the worst tenth, "
      "worse than before in %.0f %%; the noise allows %.2f %%), largest correction %.2f "
      "stops at frame %d\n",
      plan.left.before_median, plan.left.left_median, plan.left.left_p90,
      100 * plan.left.worse_share, plan.noise_percent, plan.deflicker.largest_correction,
      plan.deflicker.largest_at);
  for (const FlickerFound& one : plan.found) std::cout << words_of(one) << "\n";
  if (plan.deflicker.held)
    std::printf(
        "held back: parts of the picture flicker apart, so that only frames that stand out "
        "are corrected\n");
}

struct MeasureOptions {
  std::string file;
  bool json = false, csv = false;
};

Result<void> measure(const MeasureOptions& o) {
  auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  ProxyStore store(shoot->sequence.folder);
  const auto grids = measure_light(*shoot, store, {terminal_progress("measuring"), nullptr});
  const LightPlan plan = plan_light(*shoot, grids);
  if (o.json) {
    const MotionTrack motion =
        measure_motion(*shoot, store, {terminal_progress("measuring movement"), nullptr});
    std::cout << report(*shoot, plan, motion).dump(1, ' ', false, json::error_handler_t::replace)
              << "\n";
  } else if (o.csv) {
    std::cout << light_table(*shoot, plan);
  } else {
    print_words(plan);
  }
  return {};
}

}  // namespace

void add_measure(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("measure", "Measure brightness as shot, levelled and deflickered.");
  auto o = std::make_shared<MeasureOptions>();
  c->add_option("FILE", o->file, "The shoot (.tsukimi)")->required();
  auto* as_json = c->add_flag("--json", o->json, "Print JSON");
  c->add_flag("--csv", o->csv, "Print a table with a line per frame")->excludes(as_json);
  c->callback([o, &run] { run = [o] { return measure(*o); }; });
}

}  // namespace tsukimi::cli
