#include "output/export_manifest.h"

#include <nlohmann/json.hpp>

#include "base/text.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kManifest = "tsukimi-export.json";
constexpr const char* kFormat = "tsukimi export";
constexpr int kEngine = 5;  // raise when the same settings give other pixels

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

std::string export_recipe(const FilmRecipe& recipe, const ExportSettings& how) {
  return "e" + std::to_string(kEngine) + " " + text_of(recipe) +
         (how.format == FileFormat::jpeg ? " jpeg " + std::to_string(how.quality) : " tiff16");
}

}  // namespace tsukimi
