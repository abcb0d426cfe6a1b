// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/export_job.h"

#include <list>
#include <nlohmann/json.hpp>
#include <numeric>

#include "document/files/exports_json.h"
#include "document/files/json_fields.h"
#include "document/framing/output_size.h"
#include "film/checks.h"
#include "film/other_frames.h"
#include "output/film_parts.h"
#include "output/name_pattern.h"
#include "output/poster.h"

namespace tsukimi {
namespace fs = std::filesystem;

ExportJob job_of(const Decisions& d) {
  ExportJob out;
  if (d.makes_frames) out.frames.push_back(d.output);
  out.films = d.films;
  return out;
}

ExportJob merged_job(const Shoot& shoot, FileFormat format) {
  const ExportSettings& usual = shoot.decisions.output;
  const fs::path& frames = shoot.sequence.folder;
  ExportJob out;
  out.merged = true;
  out.frames.push_back(
      {.folder = (frames.parent_path() / (frames.filename().string() + "-merged")).string(),
       .pattern = kMergedPattern,
       .format = format,
       .space = ColourSpace::rec2020,
       .copyright = usual.copyright,
       .location = usual.location});
  return out;
}

ExportJob last_frame_job(const Shoot& shoot) {
  const fs::path& frames = shoot.sequence.folder;
  ExportJob out;
  ExportSettings& how = out.frames.emplace_back(shoot.decisions.output);
  how.folder = (frames.parent_path() / (frames.filename().string() + "-last")).string();
  how.pattern = kLastFramePattern;
  out.range = ExportRange::last_frame();
  return out;
}

ExportJob with_places(ExportJob job, const Shoot& shoot) {
  std::error_code ec;
  for (ExportSettings& f : job.frames) {
    f.folder = fs::absolute(export_folder(shoot, f), ec).string();
    f.pattern = expanded_pattern(f.pattern, shoot);
  }
  std::vector<std::string> taken;
  auto is_taken = [&](const fs::path& p) { return std::ranges::count(taken, p.string()) > 0; };
  for (FilmSettings& f : job.films) {
    fs::path file = fs::absolute(film_file(shoot, f), ec);
    if (is_taken(file)) {
      const Size size = film_size(shoot, f);
      const std::string sized = file.stem().string() + "-" + std::to_string(size.width) + "x" +
                                std::to_string(size.height);
      file.replace_filename(sized + f.container);
      for (int i = 2; is_taken(file); ++i)
        file.replace_filename(sized + "-" + std::to_string(i) + f.container);
    }
    f.file = file.string();
    if (!f.sound.empty()) f.sound = fs::absolute(f.sound, ec).string();
    taken.push_back(f.file);
  }
  return job;
}

nlohmann::json to_json(const ExportJob& job) {
  auto frames = nlohmann::json::array(), films = nlohmann::json::array();
  for (const auto& f : job.frames) frames.push_back(to_json(f));
  for (const auto& f : job.films) films.push_back(to_json(f));
  return {{"frames", frames},
          {"films", films},
          {"range", {job.range.first, job.range.last}},
          {"part", {job.part.index, job.part.count}},
          {"overwrite", job.overwrite},
          {"fill_holes", job.fill_holes},
          {"merged", job.merged}};
}

ExportJob read_export_job(const Fields& f) {
  ExportJob out;
  for (const auto& one : f.list("frames"))
    out.frames.push_back(read_export_settings(Fields(one, f.name("frames"))));
  for (const auto& one : f.list("films"))
    out.films.push_back(read_film_settings(Fields(one, f.name("films"))));
  if (f.has("range")) {
    const auto range = f.numbers("range", 2);
    constexpr double kMost = 1e7;
    if (!(range[0] >= -1 && range[0] <= kMost && range[1] >= -1 && range[1] <= kMost))
      f.wrong("range", "is no part of a film");
    out.range = {static_cast<int>(range[0]), static_cast<int>(range[1])};
  }
  if (f.has("part")) {
    const auto part = f.numbers("part", 2);
    if (!(part[0] >= 1 && part[1] >= part[0] && part[1] <= 100000))
      f.wrong("part", "is not which of how many");
    out.part = {static_cast<int>(part[0]), static_cast<int>(part[1])};
  }
  if (f.has("overwrite")) out.overwrite = f.flag("overwrite");
  if (f.has("fill_holes")) out.fill_holes = f.flag("fill_holes");
  if (f.has("merged")) out.merged = f.flag("merged");
  return out;
}

bool JobReport::cancelled() const {
  auto was = [](const auto& report) { return report.cancelled; };
  return std::ranges::any_of(frames, was) || std::ranges::any_of(films, was);
}

std::vector<int> JobReport::lacking() const {
  std::vector<int> out;
  for (const FilmReport& f : films) out.insert(out.end(), f.lacking.begin(), f.lacking.end());
  std::ranges::sort(out);
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

namespace {

Result<LightPlan> prepare(Shoot& shoot, std::optional<LightPlan> light, const Step& step) {
  const auto& d = shoot.decisions;
  const bool merges = d.brackets.set_size > 1 && d.brackets.exposure == 0;
  if (!light && (d.level.on || d.deflicker.on || merges)) {
    ProxyStore store(shoot.sequence.folder);
    const Work work = step("measuring");
    const auto grids = measure_light(shoot, store, work);
    if (work.stop()) return fail("Cancelled; nothing was exported.");
    light = plan_light(shoot, grids);
  }
  know_hot_pixels(shoot, step("looking for hot pixels"));
  if (ProxyStore proxies(shoot.sequence.folder); lacks_motion(shoot))
    know_motion(shoot, proxies, step("measuring how the camera moved"));
  if (ProxyStore proxies(shoot.sequence.folder); lacks_sky(shoot))
    know_sky(shoot, proxies, step("looking for stars"));
  if (!shoot.other_frames)
    shoot.other_frames = std::make_shared<OtherFrames>(shoot.sequence.folder);
  return light.value_or(LightPlan());
}

// Only which frames there are, and what each is made from.
Shoot as_merged(const Shoot& shoot) {
  const Decisions& all = shoot.decisions;
  Shoot out = shoot;
  Decisions& d = out.decisions = {};
  d.order = all.order, d.brackets = all.brackets;
  d.set_aside = all.set_aside, d.aside = AsidePolicy::close_up;
  d.fps = all.fps, d.in = all.in, d.out = all.out;
  d.output = all.output;
  d.level.on = d.deflicker.on = false;
  return out;
}

// All sinks of a job, with the routes that lead to them.
class Sinks {
 public:
  Sinks(const Shoot& shoot, const LightPlan& light, const ExportJob& job)
      : shoot_(shoot), light_(light), job_(job), originals_(shoot.sequence.folder) {
    for (const FrameInfo& f : shots_of(shoot.sequence.frames))
      originals_.add_frame(shoot.sequence.folder / f.file);
    for (const FilmSettings& f : job.films)
      if (!f.sound.empty()) originals_.add_file(f.sound);
  }

  Result<void> open() {
    // What refuses a film is known before folders of frames are made.
    for (const FilmSettings& f : job_.films) {
      if (auto ok = originals_.check_file(f.file); !ok) return ok;
      if (auto ok = check_parts_folder(parts_folder(f.file)); !ok) return ok;
    }
    for (const ExportSettings& f : job_.frames) {
      const auto plan = plan_of(output_size(shoot_, f.pixels));
      if (!plan) return tl::unexpected(plan.error());
      auto sink = NumberedFrames::open(f, originals_, (*plan)->plan, job_.overwrite);
      if (!sink) return tl::unexpected(sink.error());
      (*plan)->sinks.push_back(sink->get());
      frames_.push_back(std::move(*sink));
    }
    for (const FilmSettings& f : job_.films)
      if (auto ok = open_film(f); !ok) return ok;
    return {};
  }

  std::vector<Route> routes() const {
    std::vector<Route> out;
    for (const Planned& p : plans_) out.push_back({p.plan, p.sinks});
    return out;
  }

  JobReport finish(const Work& work) {
    JobReport out;
    for (const auto& f : films_) out.films.push_back(f->finish(work));
    for (const auto& f : frames_) out.frames.push_back(f->finish(work.stop()));
    auto add = [&](const auto& report) {
      out.problems.insert(out.problems.end(), report.problems.begin(), report.problems.end());
    };
    std::ranges::for_each(out.films, add);
    std::ranges::for_each(out.frames, add);
    for (const auto& p : posters_)
      if (p->broken()) out.problems.push_back(p->problem());
    return out;
  }

 private:
  struct Planned {
    ExportPlan plan;
    std::vector<Sink*> sinks;
  };

  Rate rate_of_film(const FilmSettings& f) const {
    return rate_of(f.fps > 0 ? f.fps : shoot_.decisions.fps);
  }

  // Sinks of one size share a plan. Parts lie so that no segment of any film is torn.
  Result<Planned*> plan_of(Size size) {
    for (Planned& p : plans_)
      if (p.plan.size == size) return &p;
    auto plan = plan_export(shoot_, light_, job_.range, size);
    if (!plan) return tl::unexpected(plan.error());
    int unit = 1;
    for (const FilmSettings& f : job_.films)
      unit = std::lcm(unit, segment_frames(f, rate_of_film(f)));
    plan->unit = unit;
    if (!job_.part.whole()) take_part(*plan, job_.part, unit);
    return &plans_.emplace_back(Planned{std::move(*plan), {}});
  }

  Result<void> open_film(const FilmSettings& f) {
    const auto plan = plan_of(film_size(shoot_, f));
    if (!plan) return tl::unexpected(plan.error());
    const ExportPlan& frames = (*plan)->plan;
    const FilmRecipe& begin = frames.frames.front().recipe;
    const FrameInfo& capture = begin.first().source.info;
    const FilmFacts facts{frames.size,
                          rate_of_film(f),
                          begin.time,
                          originals_.folder().filename().string(),
                          shoot_.decisions.output.copyright,
                          capture.zone,
                          capture.artist};
    auto film = FilmFile::open(f, facts, originals_, frames, job_.overwrite);
    if (!film) return tl::unexpected(film.error());
    (*plan)->sinks.push_back(film->get());
    films_.push_back(std::move(*film));
    if (f.poster < 0) return {};
    const int number = f.poster + 1, first = frames.frames.front().number,
              last = frames.frames.back().number;
    if (number < first || number > last)
      return fail("The poster is to be frame " + std::to_string(f.poster) + ", and frames " +
                  std::to_string(first - 1) + " to " + std::to_string(last - 1) + " are exported.");
    auto poster =
        Poster::open(f.file, number, shoot_.decisions.output, originals_, frames, job_.overwrite);
    if (!poster) return tl::unexpected(poster.error());
    (*plan)->sinks.push_back(poster->get());
    posters_.push_back(std::move(*poster));
    return {};
  }

  const Shoot& shoot_;
  const LightPlan& light_;
  const ExportJob& job_;
  Originals originals_;
  std::list<Planned> plans_;
  std::vector<std::unique_ptr<NumberedFrames>> frames_;
  std::vector<std::unique_ptr<FilmFile>> films_;
  std::vector<std::unique_ptr<Poster>> posters_;
};

// The pass itself. Its folders are let go when it ends.
Result<JobReport> make(const Shoot& shoot, const LightPlan& light, const ExportJob& job,
                       const Step& step, const OnPicture& on_picture) {
  Sinks sinks(shoot, light, job);
  if (auto ok = sinks.open(); !ok) return tl::unexpected(ok.error());
  const Work work = step("exporting");
  develop_pass(sinks.routes(), work, on_picture);
  JobReport report = sinks.finish(job.films.empty() ? work : step("joining the film"));
  drop_spare_pixels();
  return report;
}

}  // namespace

bool set_holes_aside(Shoot& shoot, const std::vector<int>& numbers) {
  if (numbers.empty() || shoot.decisions.aside == AsidePolicy::close_up) return false;
  const auto film = film_frames(shoot);
  std::vector<int> frames;
  for (int number : numbers)
    if (const auto k = static_cast<std::size_t>(number - 1); k < film.size())
      for (const FilmPart& part : film[k].parts) {
        const FrameInfo& info = shoot.sequence.frames[static_cast<std::size_t>(part.frame)];
        std::error_code ec;
        // Of a frame that is made from several those that are gone.
        if (!film[k].made() || !info.usable() || !fs::exists(shoot.sequence.folder / info.file, ec))
          frames.push_back(part.frame);
      }
  set_aside(shoot, frames, true);
  return film_frames(shoot).size() == film.size();
}

Result<JobReport> run_export(Shoot& shoot, std::optional<LightPlan> light, const ExportJob& given,
                             const Step& step, const OnPicture& on_picture) {
  ExportJob job = with_places(given, shoot);
  if (job.merged) {
    job.merged = false;
    Shoot plain = as_merged(shoot);
    return run_export(plain, {}, job, step, on_picture);
  }
  if (job.frames.empty() && job.films.empty())
    return fail("Nothing is to be made: choose frames or a film.");
  const auto known = prepare(shoot, std::move(light), step);
  if (!known) return tl::unexpected(known.error());
  auto report = make(shoot, *known, job, step, on_picture);
  if (!report || !job.fill_holes || report->cancelled() ||
      !set_holes_aside(shoot, report->lacking()))
    return report;
  ExportJob again = job;
  again.fill_holes = false;
  return run_export(shoot, *known, again, step, on_picture);
}

}  // namespace tsukimi
