// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/saved_export.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "base/user_folders.h"
#include "document/files/exports_json.h"
#include "document/files/saved_file.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr SavedKind kSavedExport{"tsukimi export settings", "file of saved export settings", 1};
constexpr Size kUhdSize{3840, 2160}, kHdSize{1920, 1080};

ExportJob without_places(ExportJob job) {
  for (auto& f : job.frames) f.folder.clear(), f.copyright.clear();
  for (auto& f : job.films) f.file.clear(), f.sound.clear();
  job.range = {};
  job.part = {};
  job.overwrite = job.fill_holes = false;
  return job;
}

FilmSettings film(const char* container, Codec codec, PixelSize pixels) {
  FilmSettings out = *usual_film(container);
  set_codec(out, codec);
  out.pixels = pixels;
  return out;
}

std::vector<SavedExport> own_exports() {
  std::vector<SavedExport> out;
  ExportSettings frames;
  frames.format = FileFormat::tiff16;
  frames.space = ColourSpace::rec709;
  out.push_back({"Frames for an editor", {{frames}, {}}, {}});
  out.push_back({"UHD film to share", {{}, {film(".mp4", Codec::h264, {kUhdSize})}}, {}});
  out.push_back({"HD film to share", {{}, {film(".mp4", Codec::h264, {kHdSize})}}, {}});
  out.push_back({"Editing film", {{}, {film(".mov", Codec::prores422hq, {{}, 3840})}}, {}});
  FilmSettings loop = film(".webm", Codec::vp9, {{}, 960});
  loop.quality = 70;
  out.push_back({"Loop for a page", {{}, {loop}}, {}});
  return out;
}

}  // namespace

SavedExport saved_export(std::string name, const Decisions& decisions) {
  return {std::move(name), without_places(job_of(decisions)), {}};
}

void apply(const SavedExport& saved, Decisions& d) {
  d.makes_frames = !saved.job.frames.empty();
  if (d.makes_frames) {
    ExportSettings frames = saved.job.frames.front();
    frames.folder = d.output.folder;
    frames.copyright = d.output.copyright;
    d.output = frames;
  }
  const std::vector<FilmSettings> before = std::exchange(d.films, saved.job.films);
  for (std::size_t i = 0; i < std::min(before.size(), d.films.size()); ++i) {
    FilmSettings& film = d.films[i];
    if (film.codec != Codec::gif) film.sound = before[i].sound;
    if (!before[i].file.empty())
      film.file = fs::path(before[i].file).replace_extension(film.container).string();
  }
}

Result<SavedExport> read_export(const fs::path& file) {
  SavedExport out;
  const auto ok = read_saved(file, kSavedExport, [&](const Fields& f) {
    out = {f.text("name"), without_places(read_export_job(f)), file};
    if (out.name.empty()) f.wrong("name", "is empty");
    if (out.job.frames.empty() && out.job.films.empty()) f.wrong("films", "makes nothing");
    if (out.job.frames.size() > 1) f.wrong("frames", "has more than one kind");
  });
  if (!ok) return tl::unexpected(ok.error());
  return out;
}

Result<void> write_export(const SavedExport& saved, const fs::path& file) {
  const nlohmann::json job = to_json(without_places(saved.job));
  return write_saved(file, kSavedExport,
                     {{"name", saved.name}, {"frames", job["frames"]}, {"films", job["films"]}});
}

std::vector<SavedExport> all_exports(const fs::path& folder, std::vector<std::string>* wrong) {
  std::vector<SavedExport> out = own_exports();
  const auto ours = std::ssize(out);
  for (const fs::path& file : saved_files(folder)) {
    auto saved = read_export(file);
    if (saved)
      out.push_back(std::move(*saved));
    else if (wrong)
      wrong->push_back(saved.error().message);
  }
  std::sort(out.begin() + ours, out.end(), [](const SavedExport& a, const SavedExport& b) {
    return std::tie(a.name, a.file) < std::tie(b.name, b.file);
  });
  return out;
}

fs::path exports_folder() {
  const fs::path data = data_folder();
  return data.empty() ? data : data / "exports";
}

Result<SavedExport> find_export(const std::string& name) {
  const auto all = all_exports(exports_folder());
  for (auto one = all.rbegin(); one != all.rend(); ++one)
    if (one->name == name) return *one;
  std::error_code ec;
  if (fs::exists(name, ec)) return read_export(name);
  return fail("There are no saved export settings \"" + printable(name) +
              "\", and no file of that name.");
}

}  // namespace tsukimi
