#include "shoot/export_manifest.h"

#include <cstdio>
#include <nlohmann/json.hpp>

#include "image/file.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kManifest = "tsukimi-export.json";
constexpr int kEngine = 4;  // raise when the same settings give other pixels

}  // namespace

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

std::string export_recipe(const Shoot& shoot, const FilmRecipe& r) {
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

}  // namespace tsukimi
