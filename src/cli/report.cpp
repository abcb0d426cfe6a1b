// SPDX-License-Identifier: GPL-3.0-or-later
// report: what became of a shoot's light, as one HTML file.
#include <iostream>

#include "base/file.h"
#include "cli/commands.h"
#include "develop/display.h"
#include "document/files/shoot_file.h"
#include "document/framing/output_size.h"
#include "film/checks.h"
#include "film/film.h"
#include "folder/originals.h"
#include "output/encode.h"
#include "output/light_report.h"

namespace tsukimi::cli {
namespace {

// The key frames as the film shows them, small; those that cannot be read are left out.
std::vector<ReportPicture> pictures_of(const Shoot& shoot, const LightPlan& plan,
                                       ProxyStore& store) {
  constexpr int kWidth = 600, kQuality = 85;
  std::vector<ReportPicture> out;
  const Courses courses = courses_of(shoot);
  const FilmFrames film(shoot);
  for (const KeyFrame& key : shoot.decisions.look.keys) {
    const int frame = shoot.sequence.place_of(key.frame);
    const Size whole = output_size(shoot, courses.framing);
    const Size size{kWidth, std::max(1, kWidth * whole.height / std::max(1, whole.width))};
    FilmRecipe recipe = film_recipe(shoot, courses, plan, film.at(frame).value_or(itself(frame)),
                                    {false, size, {}});
    const auto picture = develop_film_proxy(store, recipe);
    if (!picture) continue;
    auto jpeg = encode_jpeg(to_srgb8(*picture), kQuality);
    if (jpeg) out.push_back({frame, std::move(*jpeg)});
  }
  return out;
}

Result<void> write_report(const std::string& file, const std::filesystem::path& to,
                          bool overwrite) {
  auto shoot = open_shoot(file);
  if (!shoot) return tl::unexpected(shoot.error());
  if (auto ok = check_no_picture(to); !ok) return ok;
  if (auto ok =
          check_may_write(std::filesystem::absolute(to).parent_path(), shoot->sequence.folder);
      !ok)
    return ok;
  ProxyStore store(shoot->sequence.folder);
  // As an export plans it: cells follow a picture that is steadied.
  know_motion(*shoot, store, {terminal_progress("measuring how the camera moved"), cancel_flag()});
  const Measured measured =
      measure_frames(*shoot, store, {terminal_progress("measuring"), cancel_flag()});
  if (cancel_flag()->load()) return fail("Stopped; nothing was written.");
  const LightPlan plan = plan_light(*shoot, measured.grids);
  return write_file(to, light_report(*shoot, measured, plan, pictures_of(*shoot, plan, store)),
                    overwrite ? IfExists::replace : IfExists::keep);
}

}  // namespace

void add_report(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "report", "Write what became of the light to an HTML file: curves, steps, what is left.");
  auto file = std::make_shared<std::string>(), to = std::make_shared<std::string>();
  auto overwrite = std::make_shared<bool>(false);
  c->add_option("FILE", *file, "The shoot (.tsukimi)")->required();
  c->add_option("--to", *to, "The HTML file to write")->required();
  c->add_flag("--overwrite", *overwrite, "Replace a file that is there already");
  c->callback([=, &run] { run = [=] { return write_report(*file, *to, *overwrite); }; });
}

}  // namespace tsukimi::cli
