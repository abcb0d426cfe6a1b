#include "output/export_manifest.h"

#include <cstdio>
#include <nlohmann/json.hpp>

#include "base/cache.h"
#include "base/text.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kManifest = "tsukimi-export.json";
constexpr const char* kFormat = "tsukimi export";
constexpr int kEngine = 5;  // raise when the same settings give other pixels

// Which pixels are mended, not only how many.
std::string checksum_text(const HotPixels& hot) {
  std::string all;
  for (const auto& p : hot) all += std::to_string(p.x) + "," + std::to_string(p.y) + ";";
  return cache_name(all);
}

}  // namespace

Result<Manifest> read_manifest(const fs::path& folder) {
  Manifest out;
  const fs::path file = folder / kManifest;
  if (!stamp_of(file)) return out;
  const auto bytes = read_file(file, 512u << 20);
  if (!bytes) return tl::unexpected(bytes.error());
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  if (!j.is_object() || !j.contains("format") || j["format"] != kFormat || !j.contains("frames") ||
      !j["frames"].is_object())
    return fail(file.string() +
                " is damaged, or was not made by an export. Nothing was written; "
                "move it away or choose another folder.");
  for (const auto& [name, value] : j["frames"].items()) {
    const json& entry = value;
    // An entry that makes no sense is none: its file is made anew if it is there to be replaced.
    auto whole = [&](const char* key) {
      return entry.contains(key) && entry[key].is_number_integer();
    };
    if (!entry.is_object() || !entry.contains("recipe") || !entry["recipe"].is_string() ||
        !whole("bytes"))
      continue;
    MadeFile made{entry["recipe"], {entry["bytes"].get<std::uint64_t>()}};
    if (whole("inode")) made.stamp.inode = entry["inode"];
    if (whole("modified")) made.stamp.modified = entry["modified"];
    if (whole("born")) made.stamp.born = entry["born"];
    out[from_json_name(name)] = made;
  }
  return out;
}

Result<void> write_manifest(const fs::path& folder, const Manifest& manifest) {
  json frames = json::object();
  for (const auto& [name, made] : manifest)
    frames[to_json_name(name)] = {{"recipe", made.recipe},
                                  {"bytes", made.stamp.bytes},
                                  {"inode", made.stamp.inode},
                                  {"modified", made.stamp.modified},
                                  {"born", made.stamp.born}};
  return write_document(folder / kManifest,
                        json{{"format", kFormat}, {"frames", frames}}.dump(
                            1, ' ', false, json::error_handler_t::replace) +
                            "\n",
                        kFormat);
}

std::string export_recipe(const FilmRecipe& r, const ExportSettings& how) {
  const PictureRecipe& s = r.first();
  char text[64];
  std::string out = "e" + std::to_string(kEngine);
  auto source = [&](const FrameInfo& f) {
    out += " " + to_json_name(f.file) + " " + std::to_string(f.bytes) + " " +
           std::to_string(f.modified);
  };
  source(s.source.info);
  auto add = [&](double v) {
    std::snprintf(text, sizeof text, " %.9g", v);
    out += text;
  };
  for (double v : s.look.numbers) add(v);
  add(s.light.stops);
  if (s.hot_pixels && s.look[Param::hot_pixels] > 0) out += " hot " + checksum_text(*s.hot_pixels);
  const Rect part = s.placement.part();
  for (double v : {part.x, part.y, part.w, part.h}) add(v);
  add(s.placement.size.width);
  add(s.placement.size.height);
  if (r.how == Composition::between) {
    out += " made with";
    const Take& second = r.takes[1];
    source(second.picture.source.info);
    add(second.picture.light.stops);
    add(second.weight);
  }
  out += how.format == FileFormat::jpeg ? " jpeg " + std::to_string(how.quality) : " tiff16";
  return out;
}

}  // namespace tsukimi
