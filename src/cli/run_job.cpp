// SPDX-License-Identifier: GPL-3.0-or-later
// `export`, `film` and `make`: what was asked for, at once.
#include <iostream>

#include "base/text.h"
#include "cli/commands.h"
#include "cli/job_options.h"
#include "document/files/shoot_file.h"
#include "document/framing/output_size.h"
#include "film/checks.h"
#include "film/motion.h"
#include "film/sky.h"
#include "output/estimate_gif.h"
#include "output/space.h"

namespace tsukimi::cli {
namespace {
namespace fs = std::filesystem;

// A GIF is large before one knows it.
void print_gif_sizes(const Shoot& shoot, const ExportJob& job) {
  for (const auto& f : job.films) {
    if (f.codec != Codec::gif) continue;
    ProxyStore store(shoot.sequence.folder);
    const auto bytes = estimate_gif(shoot, {}, f, store);
    if (bytes)
      std::fprintf(stderr, "tsukimi-batch: %s will have about %.1f MB.\n", f.file.c_str(),
                   *bytes / 1e6);
  }
}

// What a photographer would want to know before it begins.
void print_notes(const Shoot& shoot, const ExportJob& job) {
  std::vector<Size> sizes;
  for (const auto& f : job.frames) sizes.push_back(output_size(shoot, f.pixels));
  for (const auto& f : job.films) sizes.push_back(film_size(shoot, f));
  std::vector<std::string> notes;
  for (Size size : sizes)
    for (const auto& note :
         {shape_note(shoot, size), enlarged_note(shoot, size), fit_note(FramingCourse(shoot))})
      if (!note.empty() && std::ranges::find(notes, note) == notes.end()) notes.push_back(note);
  notes.push_back(fades_note(shoot));
  if (wants_sky(shoot))
    for (const std::string& note : sky_notes(shoot)) std::cerr << "tsukimi-batch: " << note << "\n";
  if (const std::string misfit = misfit_note(shoot); !misfit.empty())
    notes.push_back(misfit + " (plan --follow-area)");
  for (const auto& f : job.films)
    notes.push_back(room_note(fs::path(f.file).parent_path(), f,
                              rate_of(f.fps > 0 ? f.fps : shoot.decisions.fps), film_size(shoot, f),
                              film_length(shoot)));
  for (const auto& note : notes)
    if (!note.empty()) std::cerr << "tsukimi-batch: " << note << "\n";
}

void print_made(const ExportJob& job, const JobReport& report) {
  for (std::size_t i = 0; i < report.films.size(); ++i) {
    const FilmReport& film = report.films[i];
    if (!film.finished) continue;
    std::cout << job.films[i].file << ": " << film.total << " frames, " << film.encoded
              << " encoded now\n";
  }
  for (const ExportReport& frames : report.frames) {
    std::cout << frames.written << " frames written";
    if (frames.kept) std::cout << ", " << frames.kept << " were there already";
    std::cout << "\n";
  }
}

Result<void> run_job(const JobOptions& o) {
  auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  // It decides the size; merged frames are not framed.
  if (ProxyStore proxies(shoot->sequence.folder); !o.job.merged && lacks_motion(*shoot))
    know_motion(*shoot, proxies,
                {terminal_progress("measuring how the camera moved"), cancel_flag()});
  if (ProxyStore proxies(shoot->sequence.folder); !o.job.merged && lacks_sky(*shoot))
    know_sky(*shoot, proxies, {terminal_progress("looking for stars"), cancel_flag()});
  const ExportJob job = with_places(o.job, *shoot);
  if (!job.merged) print_notes(*shoot, job);
  print_gif_sizes(*shoot, job);
  const auto report = run_export(*shoot, {}, job, [](const char* step) {
    return Work{terminal_progress(step), cancel_flag()};
  });
  if (!report) return tl::unexpected(report.error());
  for (const auto& f : shoot->sequence.frames)
    if (!f.usable())
      std::cerr << "tsukimi-batch: " << printable(f.file) << " " << printable(f.problem)
                << "; it is left out.\n";
  print_made(job, *report);
  if (report->cancelled()) return fail("Cancelled; the same export goes on from there.");
  if (report->problems.empty()) return {};
  std::string all;
  for (const auto& p : report->problems) all += (all.empty() ? "" : " ") + p;
  if (!report->lacking().empty() && !job.fill_holes)
    all += " With --fill-holes such frames are made from their neighbours.";
  return fail(all);
}

}  // namespace

void add_jobs(CLI::App& app, Run& run) {
  add_job_options(app, [&run](const JobOptions& o) { run = [o] { return run_job(o); }; });
}

}  // namespace tsukimi::cli
