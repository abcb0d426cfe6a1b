#include "output/export_frames.h"

#include "base/memory.h"
#include "film/checks.h"
#include "output/name_pattern.h"
#include "output/space.h"

namespace tsukimi {
namespace {

// Nothing is begun that cannot be held: the float picture and what is being encoded and written.
Result<void> check_memory(Size size, bool deep) {
  const double pixels = static_cast<double>(size.width) * size.height;
  const double needed = pixels * (12 + 2 * (deep ? 6 : 3));
  const auto free = static_cast<double>(free_memory());
  if (needed <= free) return {};
  char text[200];
  std::snprintf(text, sizeof text,
                "Frames of %d×%d pixels need about %.1f GB of memory each, %.1f GB are free. "
                "Choose a smaller size.",
                size.width, size.height, needed / 1e9, free / 1e9);
  return fail(text);
}

}  // namespace

Result<ExportReport> export_frames(const Shoot& shoot, const LightPlan& light, ExportRange range,
                                   bool overwrite, const Work& work) {
  ExportSettings output = shoot.decisions.output;
  output.pattern = expanded_pattern(output.pattern, shoot);
  output.folder = export_folder(shoot);
  const auto plan = plan_export(shoot, light, range);
  if (!plan) return tl::unexpected(plan.error());
  if (auto ok = check_memory(output_size(shoot), info(output.format).bits == 16); !ok)
    return tl::unexpected(ok.error());
  const auto frames = NumberedFrames::open(output, shoot.sequence.folder, *plan, overwrite);
  if (!frames) return tl::unexpected(frames.error());
  if (auto ok = check_space(output.folder, output, output_size(shoot), (*frames)->to_make()); !ok)
    return tl::unexpected(ok.error());
  Sink* const sinks[] = {frames->get()};
  develop_pass(*plan, sinks, work);
  ExportReport report = (*frames)->finish(work.stop());
  drop_spare_pixels();
  return report;
}

Result<LightPlan> prepare_export(Shoot& shoot, std::optional<LightPlan> light, const Step& step) {
  const auto& d = shoot.decisions;
  if (!light && (d.level.on || d.deflicker.on)) {
    ProxyStore store(shoot.sequence.folder);
    const Work work = step("measuring");
    const auto grids = measure_light(shoot, store, work);
    if (work.stop()) return fail("Cancelled; nothing was exported.");
    light = plan_light(shoot, grids);
  }
  know_hot_pixels(shoot, step("looking for hot pixels"));
  return light.value_or(LightPlan());
}

Result<ExportReport> export_shoot(Shoot& shoot, std::optional<LightPlan> light, ExportRange range,
                                  bool overwrite, const Step& step) {
  const auto plan = prepare_export(shoot, std::move(light), step);
  if (!plan) return tl::unexpected(plan.error());
  return export_frames(shoot, *plan, range, overwrite, step("exporting"));
}

}  // namespace tsukimi
