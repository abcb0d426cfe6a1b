#include "output/export_film.h"

#include "output/name_pattern.h"

namespace tsukimi {

Result<FilmMade> export_film(Shoot& shoot, std::optional<LightPlan> light, const FilmOrder& order,
                             const Step& step) {
  const Size size = output_size(shoot);
  // Two of each: the samples of colour are half as many.
  shoot.decisions.output.size = {size.width / 2 * 2, size.height / 2 * 2};
  shoot.decisions.output.long_edge = 0;
  const auto known = prepare_export(shoot, std::move(light), step);
  if (!known) return tl::unexpected(known.error());
  const auto plan = plan_export(shoot, *known, order.range);
  if (!plan) return tl::unexpected(plan.error());
  const FilmFacts facts{output_size(shoot), plan->frames.front().recipe.time,
                        shoot.sequence.folder.filename().string(),
                        shoot.decisions.output.copyright};
  const auto film =
      FilmFile::open(order.film, facts, shoot.sequence.folder, *plan, order.overwrite);
  if (!film) return tl::unexpected(film.error());
  std::vector<Sink*> sinks{film->get()};
  std::unique_ptr<NumberedFrames> frames;
  if (order.also_frames) {
    ExportSettings how = *order.also_frames;
    how.pattern = expanded_pattern(how.pattern, shoot);
    auto opened = NumberedFrames::open(how, shoot.sequence.folder, *plan, order.overwrite);
    if (!opened) return tl::unexpected(opened.error());
    frames = std::move(*opened);
    sinks.push_back(frames.get());
  }
  const Work work = step("making the film");
  develop_pass(*plan, sinks, work);
  FilmMade made{(*film)->finish(work.stop()), {}};
  if (frames) made.frames = frames->finish(work.stop());
  drop_spare_pixels();
  return made;
}

}  // namespace tsukimi
