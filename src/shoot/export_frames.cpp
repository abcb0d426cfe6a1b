#include "shoot/export_frames.h"

#include <algorithm>
#include <atomic>
#include <cstdio>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>

#include "develop/display.h"
#include "image/file.h"
#include "output/encode.h"
#include "output/name_pattern.h"
#include "shoot/film.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kManifest = "tsukimi-export.json";
constexpr int kEngine = 2;  // raise when the same settings give other pixels

struct Made {
  std::string recipe;
  std::uint64_t bytes = 0;
};
using Manifest = std::map<std::string, Made>;  // by file name

Manifest read_manifest(const fs::path& folder) {
  Manifest out;
  const auto bytes = read_file(folder / kManifest);
  if (!bytes) return out;
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  if (j.is_discarded() || !j.is_object() || !j.contains("frames") || !j["frames"].is_object())
    return out;
  for (const auto& [name, entry] : j["frames"].items())
    if (entry.is_object())
      out[name] = {entry.value("recipe", ""), entry.value("bytes", std::uint64_t{0})};
  return out;
}

Result<void> write_manifest(const fs::path& folder, const Manifest& manifest) {
  json frames = json::object();
  for (const auto& [name, made] : manifest)
    frames[name] = {{"recipe", made.recipe}, {"bytes", made.bytes}};
  return write_file(folder / kManifest,
                    json{{"format", "tsukimi export"}, {"frames", frames}}.dump(1) + "\n",
                    IfExists::replace);
}

// Everything that decides the bytes of one exported file, in a line.
std::string recipe_of(const Shoot& shoot, const FilmRecipe& r) {
  const FrameSettings& s = r.settings;
  const ExportSettings& e = shoot.decisions.output;
  char text[64];
  std::string out = "e" + std::to_string(kEngine);
  auto source = [&](int frame) {
    const FrameInfo& f = shoot.sequence.frames[frame];
    out += " " + f.file + " " + std::to_string(f.bytes) + " " + std::to_string(f.modified);
  };
  source(r.film.made() ? r.film.before : r.film.frame);
  auto add = [&](double v) {
    std::snprintf(text, sizeof text, " %.9g", v);
    out += text;
  };
  for (double v : s.look.values) add(v);
  add(s.correction);
  if (s.hot_pixels && s.look[Param::hot_pixels] > 0)
    out += " hot " + std::to_string(s.hot_pixels->size());
  for (double v : {s.crop.x, s.crop.y, s.crop.w, s.crop.h}) add(v);
  add(s.size.width);
  add(s.size.height);
  if (r.film.made()) {
    out += " made with";
    source(r.film.after);
    add(r.second.correction);
    add(r.between);
  }
  out += e.format == FileFormat::jpeg ? " jpeg " + std::to_string(e.quality) : " tiff16";
  return out;
}

Result<Bytes> make_file(const Shoot& shoot, const FilmRecipe& recipe, std::mutex& turn) {
  const auto image = develop_film_frame(shoot, recipe, &turn);
  if (!image) return tl::unexpected(image.error());
  const auto& output = shoot.decisions.output;
  auto bytes = output.format == FileFormat::jpeg ? encode_jpeg(to_srgb8(*image), output.quality)
                                                 : encode_tiff16(to_srgb16(*image));
  if (!bytes) return bytes;
  const auto& frames = shoot.sequence.frames;
  const FilmFrame& film = recipe.film;
  const std::string made =
      film.made() ? "Made from " + frames[film.before].file + " and " + frames[film.after].file
                  : std::string();
  return with_metadata(std::move(*bytes), frames[film.frame], recipe.settings.size, made);
}

struct Job {
  std::string name, recipe;
  FilmRecipe film;
};

}  // namespace

Result<ExportReport> export_frames(const Shoot& shoot, const LightPlan& plan, ExportRange range,
                                   bool overwrite, const Work& work) {
  const ExportSettings& output = shoot.decisions.output;
  const std::vector<FilmFrame> film = film_frames(shoot);
  const int count = static_cast<int>(film.size());
  if (count == 0) return fail("There are no frames to export.");
  const int last = range.last < 0 ? count - 1 : range.last;
  if (range.first < 0 || range.first > last || last >= count)
    return fail("The frames " + std::to_string(range.first) + "-" + std::to_string(last) +
                " are not all in the film, which has frames 0-" + std::to_string(count - 1) + ".");
  if (auto ok = check_pattern(output.pattern, count); !ok) return tl::unexpected(ok.error());
  if (output.folder.empty()) return fail("No folder to export to was chosen.");
  const fs::path folder = fs::absolute(output.folder);
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (!fs::is_directory(folder))
    return fail("The folder " + folder.string() + " cannot be made: " + ec.message() + ".");
  if (fs::equivalent(folder, shoot.sequence.folder, ec))
    return fail(
        "Choose another folder than that of the raw frames; originals are never written to.");

  const LookCourse course(shoot);
  const Size size = output_size(shoot);
  Manifest manifest = read_manifest(folder);
  std::vector<Job> jobs;
  ExportReport report;
  report.total = last - range.first + 1;
  for (int k = range.first; k <= last; ++k) {
    Job job;
    job.name = numbered_name(output.pattern, k + 1) +
               (output.format == FileFormat::jpeg ? ".jpg" : ".tif");
    job.film = film_recipe(shoot, course, plan, film[k], size);
    job.recipe = recipe_of(shoot, job.film);
    const auto there = fs::file_size(folder / job.name, ec);
    if (!ec) {
      const auto made = manifest.find(job.name);
      if (made != manifest.end() && made->second.recipe == job.recipe &&
          made->second.bytes == there) {
        ++report.kept;
        continue;
      }
      if (!overwrite)
        return fail((folder / job.name).string() +
                    " is there already and was made from something else; nothing was written. "
                    "Choose another "
                    "folder or name, or ask for files to be replaced.");
    }
    jobs.push_back(std::move(job));
  }

  std::mutex mutex, developing;
  std::atomic<int> done{report.kept};
  std::atomic<bool> broken{false};  // the target cannot be written: going on would fail as well
  work.report(done, report.total);
  parallel_ranges(static_cast<int>(jobs.size()), 1, [&](int a, int b) {
    for (int i = a; i < b; ++i) {
      if (work.stop() || broken) return;
      const Job& job = jobs[i];
      const auto bytes = make_file(shoot, job.film, developing);
      const auto written = bytes ? write_file(folder / job.name, *bytes,
                                              overwrite ? IfExists::replace : IfExists::keep)
                                 : Result<void>();
      const std::lock_guard lock(mutex);
      if (!bytes) {
        report.problems.push_back(bytes.error().message + " Number " + job.name +
                                  " is left free for it.");
      } else if (!written) {
        if (!broken.exchange(true)) report.problems.push_back(written.error().message);
      } else {
        ++report.written;
        manifest[job.name] = {job.recipe, bytes->size()};
        if (report.written % 16 == 0) (void)write_manifest(folder, manifest);
      }
      work.report(++done, report.total);
    }
  });
  report.cancelled = work.stop();
  if (report.written > 0)
    if (auto ok = write_manifest(folder, manifest); !ok)
      report.problems.push_back(ok.error().message);
  if (broken)
    report.problems.push_back(std::to_string(report.written + report.kept) + " of " +
                              std::to_string(report.total) + " frames are safe in " +
                              folder.string() + "; export again to go on from there.");
  return report;
}

}  // namespace tsukimi
